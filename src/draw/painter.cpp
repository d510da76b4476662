#include "idlemeter/draw/painter.hpp"

#include <cairo.h>
#include <pango/pangocairo.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "draw/blend.hpp"
#include "draw/trace.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"

namespace idlemeter {
namespace {

using namespace draw;

struct GObjectUnref {
  void operator()(gpointer object) const { g_object_unref(object); }
};
template <typename T>
using GObject = std::unique_ptr<T, GObjectUnref>;

/// How strongly each pixel is covered, 0 to 255; `left` and `top` from the text's origin on the baseline.
struct Mask {
  int left = 0, top = 0, width = 0, height = 0;
  std::vector<std::uint8_t> cover;

  [[nodiscard]] std::size_t pixels() const {
    return static_cast<std::size_t>(width) * static_cast<std::size_t>(height);
  }
};

/// A text that was measured before: its size and, once it has been drawn, its shape and the dark rims that make it
/// legible on bright ground.
struct KnownText {
  TextExtent extent;
  std::optional<Mask> shape, shadow, outline;
  std::uint64_t last_used = 0;

  [[nodiscard]] std::size_t bytes() const {
    std::size_t sum = 0;
    for (const auto* mask : {&shape, &shadow, &outline}) sum += mask->has_value() ? (*mask)->pixels() : 0;
    return sum;
  }
};

/// The largest of each `length` neighbours, out[i] = max in[i - length + 1 … i] with zeros outside, for `lines` lines
/// at once: element i of line l stands at i * lines + l. Three comparisons an element, however long (van Herk 1992; Gil
/// & Werman 1993). `in` has n elements a line, the result n + length - 1.
std::vector<std::uint8_t> widened(const std::vector<std::uint8_t>& in, std::size_t n, std::size_t lines,
                                  std::size_t length) {
  const std::size_t padded = n + 2 * (length - 1), results = n + length - 1;
  std::vector<std::uint8_t> forward(padded * lines), backward(padded * lines), out(results * lines);
  std::copy(in.begin(), in.end(), forward.begin() + static_cast<std::ptrdiff_t>((length - 1) * lines));
  backward = forward;
  const auto take_most = [lines](std::uint8_t* into, const std::uint8_t* other) {
    for (std::size_t l = 0; l < lines; ++l) into[l] = std::max(into[l], other[l]);
  };
  for (std::size_t i = 1; i < padded; ++i) {
    if (i % length != 0) take_most(&forward[i * lines], &forward[(i - 1) * lines]);
  }
  for (std::size_t i = padded - 1; i-- > 0;) {
    if ((i + 1) % length != 0) take_most(&backward[i * lines], &backward[(i + 1) * lines]);
  }
  for (std::size_t i = 0; i < results; ++i) {
    std::copy_n(&backward[i * lines], lines, &out[i * lines]);
    take_most(&out[i * lines], &forward[(i + length - 1) * lines]);
  }
  return out;
}

std::vector<std::uint8_t> transposed(const std::vector<std::uint8_t>& in, std::size_t width, std::size_t height) {
  std::vector<std::uint8_t> out(in.size());
  constexpr std::size_t kTile = 64;  // so that both stay within the cache
  for (std::size_t top = 0; top < height; top += kTile) {
    for (std::size_t left = 0; left < width; left += kTile) {
      for (std::size_t y = top; y < std::min(height, top + kTile); ++y) {
        for (std::size_t x = left; x < std::min(width, left + kTile); ++x) out[x * height + y] = in[y * width + x];
      }
    }
  }
  return out;
}

/// The shape grown by `radius` pixels in every direction and, as a shadow falls, by `fall` more downwards. O(pixels).
Mask grown(const Mask& shape, int radius, int fall) {
  Mask rim{shape.left - radius, shape.top - radius, shape.width + 2 * radius, shape.height + 2 * radius + fall, {}};
  if (shape.cover.empty()) return {};
  const auto size = [](int n) { return static_cast<std::size_t>(n); };
  auto tall = widened(shape.cover, size(shape.height), size(shape.width), size(2 * radius + fall + 1));
  auto across = transposed(tall, size(shape.width), size(rim.height));
  across = widened(across, size(shape.width), size(rim.height), size(2 * radius + 1));
  rim.cover = transposed(across, size(rim.height), size(rim.width));
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
  using Known = std::map<Key, KnownText>::value_type;

  GObject<PangoFontMap> font_map;
  GObject<PangoContext> context;
  std::map<Key, KnownText> texts;
  std::map<std::string, Image> pictures;
  std::size_t picture_pixels = 0;  // of all pictures
  std::size_t mask_bytes = 0;      // of all texts' shapes
  std::uint64_t uses = 0;

  GObject<PangoLayout> layout_of(const std::string& text, const TextStyle& style) const;
  Known& known(const std::string& text, const TextStyle& style);
  Known& known_shown(const std::string& text, const TextStyle& style);
  const KnownText& shaped(const TextShape& text);
  void forget_oldest();
  std::size_t cost_of(const Shape& shape, const Image& onto, int x, int y);
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
  PangoAttrList* const attributes = pango_attr_list_new();
  pango_attr_list_insert(attributes,
                         pango_attr_font_features_new("tnum=1"));  // digits of one width, so that values don't jitter
  pango_layout_set_attributes(layout.get(), attributes);
  pango_attr_list_unref(attributes);
  pango_layout_set_single_paragraph_mode(layout.get(), TRUE);
  pango_layout_set_text(layout.get(), text.c_str(), static_cast<int>(text.size()));
  return layout;
}

namespace {

constexpr int kLargestMaskSide = 16'384;

/// The part of a text's ink that is drawn: cut at the right and below if it is too large.
Mask mask_for(const PangoRectangle& ink, int baseline) {
  Mask mask;
  mask.left = std::clamp(ink.x - 1, -kLargestMaskSide, kLargestMaskSide);
  mask.top = std::clamp(ink.y - baseline - 1, -kLargestMaskSide, kLargestMaskSide);
  mask.height = std::clamp(ink.height + 2, 0, kLargestMaskSide / 4);
  const auto widest = static_cast<int>(limits::kTextPixels) / std::max(1, mask.height);
  mask.width = std::clamp(ink.width + 2, 0, std::min(widest, kLargestMaskSide));
  return mask;
}

/// Fills in how strongly the text covers its pixels; nothing if there is no memory for them.
void cover(Mask& mask, PangoLayout* layout, int baseline) {
  const std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> surface(
      cairo_image_surface_create(CAIRO_FORMAT_A8, mask.width, mask.height), &cairo_surface_destroy);
  cairo_t* cairo = cairo_create(surface.get());
  cairo_move_to(cairo, -mask.left, -mask.top - baseline);
  pango_cairo_show_layout(cairo, layout);
  cairo_destroy(cairo);
  cairo_surface_flush(surface.get());
  const unsigned char* data = cairo_image_surface_get_data(surface.get());
  if (data == nullptr) {
    mask = {};
    return;
  }
  mask.cover.reserve(mask.pixels());
  for (int y = 0; y < mask.height; ++y) {
    const unsigned char* row = data + static_cast<std::ptrdiff_t>(y) * cairo_image_surface_get_stride(surface.get());
    mask.cover.insert(mask.cover.end(), row, row + mask.width);
  }
}

bool is_plain(const std::string& text) {
  return text.size() <= limits::kTextCharacters &&
         std::all_of(text.begin(), text.end(), [](char c) { return c >= 0x20 && c < 0x7f; });
}

}  // namespace

/// The text with the parts that drawing it takes.
const KnownText& Painter::State::shaped(const TextShape& text) {
  auto& [key, known] = this->known(text.text, text.style);
  const std::size_t before = known.bytes();
  if (!known.shape) {
    const GObject<PangoLayout> layout = layout_of(key.first, key.second);
    PangoRectangle ink, logical;
    pango_layout_get_pixel_extents(layout.get(), &ink, &logical);
    const int baseline = PANGO_PIXELS(pango_layout_get_baseline(layout.get()));
    cover(known.shape.emplace(mask_for(ink, baseline)), layout.get(), baseline);
  }
  const int rim = std::max(1, static_cast<int>(std::lround(key.second.size / 18)));
  if (text.edge == Edge::shadow && !known.shadow) known.shadow = grown(*known.shape, rim, 1);
  if (text.edge == Edge::outline && !known.outline) known.outline = grown(*known.shape, rim + 1, 0);
  mask_bytes += known.bytes() - before;
  return known;
}

/// Text and style as they are drawn.
Painter::State::Known& Painter::State::known(const std::string& text, const TextStyle& style) {
  const bool fits = style.size >= 1 && style.size <= limits::kTextSize;
  if (fits && is_plain(text)) return known_shown(text, style);
  TextStyle bounded = style;
  bounded.size = fits ? style.size : style.size > limits::kTextSize ? limits::kTextSize : 1;
  return known_shown(cut_to(printable(text), limits::kTextCharacters), bounded);
}

Painter::State::Known& Painter::State::known_shown(const std::string& text, const TextStyle& style) {
  constexpr std::size_t kMost = 4096, kMostBytes = std::size_t{64} << 20;
  auto entry = texts.find(Key(text, style));
  if (entry == texts.end()) {
    if (texts.size() >= kMost || mask_bytes > kMostBytes) forget_oldest();
    const GObject<PangoLayout> layout = layout_of(text, style);
    PangoRectangle logical;
    pango_layout_get_pixel_extents(layout.get(), nullptr, &logical);
    const int baseline = PANGO_PIXELS(pango_layout_get_baseline(layout.get()));
    KnownText known;
    known.extent = {static_cast<double>(logical.width), static_cast<double>(baseline),
                    static_cast<double>(logical.height - baseline)};
    entry = texts.emplace(Key(text, style), std::move(known)).first;
  }
  entry->second.last_used = ++uses;
  return *entry;
}

/// Keeps the half that was used last; rare enough for a walk through all.
void Painter::State::forget_oldest() {
  std::vector<std::uint64_t> used;
  for (const auto& [key, text] : texts) used.push_back(text.last_used);
  const auto middle = used.begin() + static_cast<std::ptrdiff_t>(used.size() / 2);
  std::nth_element(used.begin(), middle, used.end());
  std::erase_if(texts, [limit = *middle](const auto& entry) { return entry.second.last_used < limit; });
  mask_bytes = 0;
  for (const auto& [key, text] : texts) mask_bytes += text.bytes();
}

void Painter::State::draw(const TextShape& text, Image& onto, int x, int y) {
  if (text.text.empty()) return;
  const KnownText& shape = shaped(text);
  const int left = static_cast<int>(std::lround(text.x)) - x,
            baseline = static_cast<int>(std::lround(text.baseline)) - y;
  const double strength = text.edge == Edge::outline ? 0.85 : 0.6;
  const auto alpha = static_cast<std::uint8_t>(std::lround(text.color.alpha * strength));
  if (text.edge == Edge::shadow) blend(*shape.shadow, premultiplied({0, 0, 0, alpha}), onto, left, baseline);
  if (text.edge == Edge::outline) blend(*shape.outline, premultiplied({0, 0, 0, alpha}), onto, left, baseline);
  blend(*shape.shape, premultiplied(text.color), onto, left, baseline);
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
  const auto made = pictures.try_emplace(file);
  Image& picture = made.first->second;
  if (!made.second) return picture;
  try {
    Image read = read_png(file, limits::kFacePicturePixels);
    if (picture_pixels + read.pixels.size() >
        limits::kFacePicturePixels) {  // another face's, or more than one may have
      std::erase_if(pictures, [&](const auto& other) { return &other.second != &picture; });
      picture_pixels = 0;
    }
    picture_pixels += read.pixels.size();
    picture = std::move(read);
  } catch (const Error&) {
    // The frame is drawn without it; `face check` reports it.
  }
  return picture;
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

/// How many pixels a shape touches of the image. A text that wasn't drawn before has to be made first.
std::size_t Painter::State::cost_of(const Shape& shape, const Image& onto, int x, int y) {
  const auto visible = [&](const Rect& rect) {
    const double right = std::min<double>(rect.x - x + rect.width, onto.width), left = std::max<double>(rect.x - x, 0);
    const double bottom = std::min<double>(rect.y - y + rect.height, onto.height),
                 top = std::max<double>(rect.y - y, 0);
    return right > left && bottom > top ? static_cast<std::size_t>((right - left) * (bottom - top)) : 0;
  };
  const auto* text = std::get_if<TextShape>(&shape);
  if (text == nullptr)
    return std::visit(
        [&](const auto& one) {
          if constexpr (requires { one.rect; }) return visible(one.rect);
          return std::size_t{0};
        },
        shape);
  const auto& [key, known] = this->known(text->text, text->style);
  const TextExtent& extent = known.extent;
  const std::size_t pixels =
      visible({text->x, text->baseline - extent.ascent, extent.width, extent.ascent + extent.descent});
  constexpr std::size_t kMaking = 4;  // times the work of drawing a pixel
  const std::size_t all = static_cast<std::size_t>(extent.width * (extent.ascent + extent.descent));
  return pixels + (known.shape ? 0 : kMaking * std::min(all, limits::kTextPixels));
}

Painter::Painter() : state_(std::make_unique<State>()) {}
Painter::~Painter() = default;

TextExtent Painter::measure(const std::string& text, const TextStyle& style) {
  return state_->known(text, style).second.extent;
}

std::size_t Painter::draw(const Scene& scene, Image& onto, int x, int y) {
  if (onto.width <= 0 || onto.height <= 0) return 0;
  std::size_t painted = 0, left_out = 0;
  for (const Shape& shape : scene.shapes) {
    const std::size_t cost = state_->cost_of(shape, onto, x, y);
    if (painted + cost > limits::kScenePixels) {
      ++left_out;
      continue;
    }
    painted += cost;
    std::visit([&](const auto& one) { state_->draw(one, onto, x, y); }, shape);
  }
  return left_out;
}

}  // namespace idlemeter
