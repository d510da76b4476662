#include <cairo.h>
#include <pango/pangocairo.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "draw/blend.hpp"
#include "draw/trace.hpp"
#include "idlemeter/draw.hpp"
#include "idlemeter/error.hpp"

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

/// A text that was drawn before: its size, its shape and the dark rims that make it legible on bright ground.
struct KnownText {
  TextExtent extent;
  Mask shape;
  Mask shadow, outline;
  std::uint64_t last_used = 0;
};

/// The shape grown by `radius` pixels in every direction and, as a shadow falls, by `fall` more downwards.
Mask grown(const Mask& shape, int radius, int fall) {
  Mask rim{shape.left - radius, shape.top - radius, shape.width + 2 * radius, shape.height + 2 * radius + fall, {}};
  rim.cover.resize(static_cast<std::size_t>(rim.width) * static_cast<std::size_t>(rim.height));
  for (int y = 0; y < rim.height; ++y) {
    for (int x = 0; x < rim.width; ++x) {
      std::uint8_t most = 0;
      for (int dy = -radius - fall; dy <= radius; ++dy) {
        for (int dx = -radius; dx <= radius; ++dx) most = std::max(most, shape.at(x - radius + dx, y - radius + dy));
      }
      rim.cover[static_cast<std::size_t>(y) * static_cast<std::size_t>(rim.width) + static_cast<std::size_t>(x)] = most;
    }
  }
  return rim;
}

/// A cairo context on an image, and what has to go with it.
class Canvas {
 public:
  explicit Canvas(Image& onto)
      : surface_(cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(onto.pixels.data()),
                                                     CAIRO_FORMAT_ARGB32, onto.width, onto.height, onto.width * 4),
                 &cairo_surface_destroy),
        cairo_(cairo_create(surface_.get()), &cairo_destroy) {}

  [[nodiscard]] cairo_t* get() const { return cairo_.get(); }
  void ink(Color c) const {
    cairo_set_source_rgba(get(), c.red / 255.0, c.green / 255.0, c.blue / 255.0, c.alpha / 255.0);
  }

 private:
  std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> surface_;
  std::unique_ptr<cairo_t, decltype(&cairo_destroy)> cairo_;
};

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
  std::map<std::string, Image> pictures;
  std::uint64_t uses = 0;

  GObject<PangoLayout> layout_of(const std::string& text, const TextStyle& style) const;
  KnownText make(const std::string& text, const TextStyle& style);
  KnownText& known(const std::string& text, const TextStyle& style);
  void forget_oldest();
  void draw(const BoxShape& box, Image& onto, int x, int y);
  void draw(const TextShape& text, Image& onto, int x, int y);
  void draw(const RingShape& ring, Image& onto, int x, int y);
  void draw(const PictureShape& shape, Image& onto, int x, int y);
  Image& picture(const std::string& file);
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
  const int rim = std::max(1, static_cast<int>(std::lround(style.size / 18)));
  known.shadow = grown(mask, rim, 1);
  known.outline = grown(mask, rim + 1, 0);
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
  const double strength = text.edge == Edge::outline ? 0.85 : 0.6;
  const auto alpha = static_cast<std::uint8_t>(std::lround(text.color.alpha * strength));
  if (text.edge == Edge::shadow) blend(shape.shadow, premultiplied({0, 0, 0, alpha}), onto, left, baseline);
  if (text.edge == Edge::outline) blend(shape.outline, premultiplied({0, 0, 0, alpha}), onto, left, baseline);
  blend(shape.shape, premultiplied(text.color), onto, left, baseline);
}

void Painter::State::draw(const BoxShape& box, Image& onto, int x, int y) {
  const Canvas canvas(onto);
  const Rect rect{box.rect.x - x, box.rect.y - y, box.rect.width, box.rect.height};
  const double radius = std::min({box.radius, rect.width / 2, rect.height / 2});
  const double right = rect.x + rect.width - radius, bottom = rect.y + rect.height - radius;
  cairo_new_path(canvas.get());
  cairo_arc(canvas.get(), right, rect.y + radius, radius, -M_PI / 2, 0);
  cairo_arc(canvas.get(), right, bottom, radius, 0, M_PI / 2);
  cairo_arc(canvas.get(), rect.x + radius, bottom, radius, M_PI / 2, M_PI);
  cairo_arc(canvas.get(), rect.x + radius, rect.y + radius, radius, M_PI, 3 * M_PI / 2);
  cairo_close_path(canvas.get());
  canvas.ink(box.color);
  cairo_fill(canvas.get());
}

void Painter::State::draw(const RingShape& ring, Image& onto, int x, int y) {
  constexpr double kStart = 0.75 * M_PI, kSweep = 1.5 * M_PI;  // three quarters of a circle, open at the bottom
  const Canvas canvas(onto);
  const double middle_x = ring.rect.x - x + ring.rect.width / 2, middle_y = ring.rect.y - y + ring.rect.height / 2;
  const double radius = std::max(0.5, (std::min(ring.rect.width, ring.rect.height) - ring.thickness) / 2);
  cairo_set_line_width(canvas.get(), ring.thickness);
  cairo_set_line_cap(canvas.get(), CAIRO_LINE_CAP_ROUND);
  const auto arc = [&](double share, Color color) {
    cairo_new_path(canvas.get());
    cairo_arc(canvas.get(), middle_x, middle_y, radius, kStart, kStart + kSweep * share);
    canvas.ink(color);
    cairo_stroke(canvas.get());
  };
  arc(1, ring.ground);
  if (ring.share > 0) arc(ring.share, ring.color);
}

/// The file as it was when it was first drawn; a file that can't be read is an empty picture.
Image& Painter::State::picture(const std::string& file) {
  const auto [entry, is_new] = pictures.try_emplace(file);
  if (!is_new) return entry->second;
  try {
    entry->second = read_png(file);
  } catch (const Error&) {
    // The frame is drawn without it; whoever set the face up has been told.
  }
  return entry->second;
}

void Painter::State::draw(const PictureShape& shape, Image& onto, int x, int y) {
  Image& image = picture(shape.file);
  if (image.width == 0 || shape.rect.width <= 0 || shape.rect.height <= 0) return;
  const Rect part{shape.source.x * image.width, shape.source.y * image.height, shape.source.width * image.width,
                  shape.source.height * image.height};
  const Canvas canvas(onto);
  const std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> from(
      cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(image.pixels.data()), CAIRO_FORMAT_ARGB32,
                                          image.width, image.height, image.width * 4),
      &cairo_surface_destroy);
  cairo_translate(canvas.get(), shape.rect.x - x, shape.rect.y - y);
  cairo_rectangle(canvas.get(), 0, 0, shape.rect.width, shape.rect.height);
  cairo_clip(canvas.get());
  cairo_scale(canvas.get(), shape.rect.width / part.width, shape.rect.height / part.height);
  cairo_set_source_surface(canvas.get(), from.get(), -part.x, -part.y);
  cairo_paint(canvas.get());
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
