#include "idlemeter/draw/painter.hpp"

#include <cairo.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "draw/blend.hpp"
#include "draw/mask.hpp"
#include "draw/texts.hpp"
#include "draw/trace.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"

namespace idlemeter {
namespace {

using namespace draw;

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

}  // namespace

struct Painter::State {
  Texts texts;
  std::map<std::string, Image> pictures;
  std::size_t picture_pixels = 0;  // of all pictures

  std::size_t cost_of(const Shape& shape, const Image& onto, int x, int y);
  void draw(const BoxShape& box, Image& onto, int x, int y);
  void draw(const TextShape& text, Image& onto, int x, int y);
  void draw(const RingShape& ring, Image& onto, int x, int y);
  void draw(const PictureShape& shape, Image& onto, int x, int y);
  Image& picture(const std::string& file);
  void draw(const TraceShape& trace, Image& onto, int x, int y) { draw_trace(trace, onto, x, y); }
};

void Painter::State::draw(const TextShape& text, Image& onto, int x, int y) {
  if (text.text.empty()) return;
  const KnownText& shape = texts.shaped(text);
  const int left = static_cast<int>(std::lround(text.x)) - x,
            baseline = static_cast<int>(std::lround(text.baseline)) - y;
  const double strength = text.edge == Edge::outline ? 0.85 : 0.6;
  // Faint text has a full edge: on white ground there would be nothing to read it against.
  constexpr std::uint8_t kFullFrom = 128;
  const std::uint8_t opacity = text.color.alpha < kFullFrom ? text.color.alpha : std::uint8_t{255};
  const auto alpha = static_cast<std::uint8_t>(std::lround(opacity * strength));
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
    Image read = load_png(file, limits::kFacePicturePixels);
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
  const KnownText& known = texts.measured(text->text, text->style);
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
  return state_->texts.measured(text, style).extent;
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
