#include <cairo.h>
#include <pango/pangocairo.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "draw/blend.hpp"
#include "draw/trace.hpp"
#include "idlemeter/draw.hpp"

namespace idlemeter {
namespace {

struct GObjectUnref {
  void operator()(gpointer object) const { g_object_unref(object); }
};
template <typename T>
using GObject = std::unique_ptr<T, GObjectUnref>;

/// How strongly each pixel is covered, 0 to 255; `left` and `top` from the text's origin on the baseline.
struct Mask {
  int left = 0, top = 0, width = 0, height = 0;
  std::vector<std::uint8_t> cover;

  [[nodiscard]] std::uint8_t at(int x, int y) const {
    const bool inside = x >= 0 && y >= 0 && x < width && y < height;
    return inside ? cover[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)]
                  : 0;
  }
};

/// A text that was drawn before: its size, its shape and the dark rim that makes it legible on bright ground.
struct KnownText {
  TextExtent extent;
  Mask shape;
  Mask rim;
  std::uint64_t last_used = 0;
};

/// The shape grown by `radius` pixels in every direction and a little further down, as a shadow falls.
Mask grown(const Mask& shape, int radius) {
  Mask rim{shape.left - radius, shape.top - radius, shape.width + 2 * radius, shape.height + 2 * radius + 1, {}};
  rim.cover.resize(static_cast<std::size_t>(rim.width) * static_cast<std::size_t>(rim.height));
  for (int y = 0; y < rim.height; ++y) {
    for (int x = 0; x < rim.width; ++x) {
      std::uint8_t most = 0;
      for (int dy = -radius - 1; dy <= radius; ++dy) {
        for (int dx = -radius; dx <= radius; ++dx) most = std::max(most, shape.at(x - radius + dx, y - radius + dy));
      }
      rim.cover[static_cast<std::size_t>(y) * static_cast<std::size_t>(rim.width) + static_cast<std::size_t>(x)] = most;
    }
  }
  return rim;
}

void blend(const Mask& mask, std::uint32_t pixel, Image& onto, int x, int y) {
  x += mask.left;
  y += mask.top;
  const int first_row = std::max(0, -y), last_row = std::min(mask.height, onto.height - y);
  const int first = std::max(0, -x), last = std::min(mask.width, onto.width - x);
  for (int row = first_row; row < last_row; ++row) {
    const std::uint8_t* cover = &mask.cover[static_cast<std::size_t>(row) * static_cast<std::size_t>(mask.width)];
    std::uint32_t* here = &onto.pixels[static_cast<std::size_t>(y + row) * static_cast<std::size_t>(onto.width)] + x;
    for (int column = first; column < last; ++column) {
      if (cover[column] != 0) here[column] = over(faded(pixel, cover[column]), here[column]);
    }
  }
}

}  // namespace

struct Painter::State {
  State() : font_map(pango_cairo_font_map_new()), context(pango_font_map_create_context(font_map.get())) {
    cairo_font_options_t* options = cairo_font_options_create();
    cairo_font_options_set_antialias(options, CAIRO_ANTIALIAS_GRAY);  // the ground is not known: no coloured fringes
    cairo_font_options_set_hint_style(options, CAIRO_HINT_STYLE_SLIGHT);
    pango_cairo_context_set_font_options(context.get(), options);
    cairo_font_options_destroy(options);
    pango_cairo_context_set_resolution(context.get(), 72);  // a point is a pixel
  }

  using Key = std::pair<std::string, TextStyle>;

  GObject<PangoFontMap> font_map;
  GObject<PangoContext> context;
  std::map<Key, KnownText> texts;
  std::uint64_t uses = 0;

  GObject<PangoLayout> layout_of(const std::string& text, const TextStyle& style) const;
  KnownText make(const std::string& text, const TextStyle& style);
  KnownText& known(const std::string& text, const TextStyle& style);
  void forget_oldest();
  void draw(const BoxShape& box, Image& onto, int x, int y);
  void draw(const TextShape& text, Image& onto, int x, int y);
  void draw(const TraceShape& trace, Image& onto, int x, int y) { draw_trace(trace, onto, x, y); }
};

GObject<PangoLayout> Painter::State::layout_of(const std::string& text, const TextStyle& style) const {
  GObject<PangoLayout> layout(pango_layout_new(context.get()));
  PangoFontDescription* font = pango_font_description_new();
  pango_font_description_set_family(font, style.font.c_str());
  pango_font_description_set_weight(font, style.bold ? PANGO_WEIGHT_BOLD : PANGO_WEIGHT_NORMAL);
  pango_font_description_set_absolute_size(font, style.size * PANGO_SCALE);
  pango_layout_set_font_description(layout.get(), font);
  pango_font_description_free(font);
  pango_layout_set_single_paragraph_mode(layout.get(), TRUE);
  pango_layout_set_text(layout.get(), text.c_str(), static_cast<int>(text.size()));
  return layout;
}

KnownText Painter::State::make(const std::string& text, const TextStyle& style) {
  const GObject<PangoLayout> layout = layout_of(text, style);
  PangoRectangle ink, logical;
  pango_layout_get_pixel_extents(layout.get(), &ink, &logical);
  const int baseline = PANGO_PIXELS(pango_layout_get_baseline(layout.get()));
  KnownText known;
  known.extent = {static_cast<double>(logical.width), static_cast<double>(baseline),
                  static_cast<double>(logical.height - baseline)};
  Mask& mask = known.shape;
  mask.left = ink.x - 1;
  mask.top = ink.y - baseline - 1;
  mask.width = ink.width + 2;
  mask.height = ink.height + 2;
  cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_A8, mask.width, mask.height);
  cairo_t* cairo = cairo_create(surface);
  cairo_move_to(cairo, -mask.left, -mask.top - baseline);
  pango_cairo_show_layout(cairo, layout.get());
  cairo_destroy(cairo);
  cairo_surface_flush(surface);
  const unsigned char* data = cairo_image_surface_get_data(surface);
  for (int y = 0; y < mask.height; ++y) {
    const unsigned char* row = data + static_cast<std::ptrdiff_t>(y) * cairo_image_surface_get_stride(surface);
    mask.cover.insert(mask.cover.end(), row, row + mask.width);
  }
  cairo_surface_destroy(surface);
  known.rim = grown(mask, std::max(1, static_cast<int>(std::lround(style.size / 18))));
  return known;
}

KnownText& Painter::State::known(const std::string& text, const TextStyle& style) {
  constexpr std::size_t kMost = 4096;
  auto entry = texts.find(Key(text, style));
  if (entry == texts.end()) {
    if (texts.size() >= kMost) forget_oldest();
    entry = texts.emplace(Key(text, style), make(text, style)).first;
  }
  entry->second.last_used = ++uses;
  return entry->second;
}

/// Keeps the half that was used last; rare enough for a walk through all.
void Painter::State::forget_oldest() {
  std::vector<std::uint64_t> used;
  for (const auto& [key, text] : texts) used.push_back(text.last_used);
  const auto middle = used.begin() + static_cast<std::ptrdiff_t>(used.size() / 2);
  std::nth_element(used.begin(), middle, used.end());
  std::erase_if(texts, [limit = *middle](const auto& entry) { return entry.second.last_used < limit; });
}

void Painter::State::draw(const TextShape& text, Image& onto, int x, int y) {
  if (text.text.empty()) return;
  const KnownText& shape = known(text.text, text.style);
  const int left = static_cast<int>(std::lround(text.x)) - x,
            baseline = static_cast<int>(std::lround(text.baseline)) - y;
  if (text.shadow) {
    const auto strength = static_cast<std::uint8_t>(text.color.alpha * 3 / 5);
    blend(shape.rim, premultiplied({0, 0, 0, strength}), onto, left, baseline);
  }
  blend(shape.shape, premultiplied(text.color), onto, left, baseline);
}

void Painter::State::draw(const BoxShape& box, Image& onto, int x, int y) {
  cairo_surface_t* surface =
      cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(onto.pixels.data()), CAIRO_FORMAT_ARGB32,
                                          onto.width, onto.height, onto.width * 4);
  cairo_t* cairo = cairo_create(surface);
  const Rect rect{box.rect.x - x, box.rect.y - y, box.rect.width, box.rect.height};
  const double radius = std::min({box.radius, rect.width / 2, rect.height / 2});
  const double right = rect.x + rect.width - radius, bottom = rect.y + rect.height - radius;
  cairo_new_path(cairo);
  cairo_arc(cairo, right, rect.y + radius, radius, -M_PI / 2, 0);
  cairo_arc(cairo, right, bottom, radius, 0, M_PI / 2);
  cairo_arc(cairo, rect.x + radius, bottom, radius, M_PI / 2, M_PI);
  cairo_arc(cairo, rect.x + radius, rect.y + radius, radius, M_PI, 3 * M_PI / 2);
  cairo_close_path(cairo);
  cairo_set_source_rgba(cairo, box.color.red / 255.0, box.color.green / 255.0, box.color.blue / 255.0,
                        box.color.alpha / 255.0);
  cairo_fill(cairo);
  cairo_destroy(cairo);
  cairo_surface_destroy(surface);
}

Painter::Painter() : state_(std::make_unique<State>()) {}
Painter::~Painter() = default;

TextExtent Painter::measure(const std::string& text, const TextStyle& style) {
  return state_->known(text, style).extent;
}

void Painter::draw(const Scene& scene, Image& onto, int x, int y) {
  if (onto.width <= 0 || onto.height <= 0) return;
  for (const Shape& shape : scene.shapes) {
    std::visit([&](const auto& one) { state_->draw(one, onto, x, y); }, shape);
  }
}

}  // namespace idlemeter
