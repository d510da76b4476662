#include "picture.hpp"

#include <cairo.h>

#include <cmath>
#include <memory>
#include <random>

#include "idlemeter/draw/image.hpp"
#include "idlemeter/face/face.hpp"

namespace idlemeter::rig {
namespace {

constexpr std::pair<std::string_view, Ground> kGrounds[] = {
    {"day", Ground::day}, {"night", Ground::night}, {"reef", Ground::reef}};

struct Hue {
  double red, green, blue;
};

/// The colours of a time of day.
struct Palette {
  Hue sky, horizon, sea, shore, sand, track, rock, light;
};

constexpr Palette kDay{{0.45, 0.74, 0.93}, {0.97, 0.93, 0.82}, {0.16, 0.55, 0.66}, {0.55, 0.85, 0.84},
                       {0.95, 0.87, 0.68}, {0.86, 0.80, 0.72}, {0.55, 0.47, 0.42}, {1.0, 0.97, 0.85}};
constexpr Palette kNight{{0.03, 0.04, 0.10}, {0.12, 0.13, 0.26}, {0.03, 0.09, 0.14}, {0.08, 0.20, 0.25},
                         {0.14, 0.13, 0.15}, {0.10, 0.10, 0.13}, {0.07, 0.06, 0.08}, {0.85, 0.88, 0.98}};

class Canvas {
 public:
  Canvas(Image& image, unsigned seed)
      : surface_(cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(image.pixels.data()),
                                                     CAIRO_FORMAT_ARGB32, image.width, image.height, image.width * 4),
                 &cairo_surface_destroy),
        cairo_(cairo_create(surface_.get()), &cairo_destroy),
        random_(seed) {
    cairo_scale(cairo_.get(), image.height / 1080.0, image.height / 1080.0);
    width_ = image.width * 1080.0 / image.height;
  }

  void paint(const Palette& p) {
    gradient(0, 470, p.sky, p.horizon);
    disc(width_ * 0.72, 300, 64, p.light, 1);
    hills(430, 90, p.rock, 0.45);
    gradient(470, 240, p.shore, p.sea);
    glints(p.light);
    shore(p);
    track(p);
    kart(width_ * 0.47, 860, 1.0, {0.90, 0.34, 0.28});
    kart(width_ * 0.58, 640, 0.42, {0.25, 0.45, 0.85});
  }

  /// Corals and pebbles everywhere: the hardest ground to read text on.
  void scatter(int count) {
    for (int i = 0; i < count; ++i) {
      const Hue hue{any(0.1, 1), any(0.2, 0.9), any(0.3, 1)};
      disc(any(0, width_), any(0, 1080), any(3, 34), hue, any(0.35, 0.9));
    }
  }

 private:
  double any(double from, double to) { return std::uniform_real_distribution<double>(from, to)(random_); }
  void ink(Hue h, double alpha = 1) { cairo_set_source_rgba(cairo_.get(), h.red, h.green, h.blue, alpha); }

  void gradient(double y, double height, Hue from, Hue to) {
    cairo_pattern_t* pattern = cairo_pattern_create_linear(0, y, 0, y + height);
    cairo_pattern_add_color_stop_rgb(pattern, 0, from.red, from.green, from.blue);
    cairo_pattern_add_color_stop_rgb(pattern, 1, to.red, to.green, to.blue);
    cairo_set_source(cairo_.get(), pattern);
    cairo_rectangle(cairo_.get(), 0, y, width_, height);
    cairo_fill(cairo_.get());
    cairo_pattern_destroy(pattern);
  }

  void disc(double x, double y, double radius, Hue hue, double alpha) {
    ink(hue, alpha);
    cairo_arc(cairo_.get(), x, y, radius, 0, 2 * M_PI);
    cairo_fill(cairo_.get());
  }

  void hills(double y, double height, Hue hue, double alpha) {
    ink(hue, alpha);
    cairo_move_to(cairo_.get(), 0, y + 50);
    for (double x = 0; x <= width_ + 40; x += 40) {
      cairo_line_to(cairo_.get(), x, y - height * (0.4 + 0.4 * std::sin(x / 170) + 0.2 * std::sin(x / 53 + 1)));
    }
    cairo_line_to(cairo_.get(), width_, y + 50);
    cairo_fill(cairo_.get());
  }

  void glints(Hue hue) {
    for (int i = 0; i < 160; ++i) {
      ink(hue, any(0.1, 0.5));
      cairo_rectangle(cairo_.get(), any(0, width_), any(475, 700), any(8, 60), 2);
      cairo_fill(cairo_.get());
    }
  }

  void shore(const Palette& p) {
    ink(p.sand);
    cairo_move_to(cairo_.get(), 0, 700);
    cairo_curve_to(cairo_.get(), width_ * 0.3, 620, width_ * 0.5, 690, width_, 590);
    cairo_line_to(cairo_.get(), width_, 1080);
    cairo_line_to(cairo_.get(), 0, 1080);
    cairo_fill(cairo_.get());
    for (int i = 0; i < 46; ++i) disc(any(0, width_), any(760, 1070), any(6, 30), p.rock, 0.8);
  }

  void track(const Palette& p) {
    ink(p.track);
    cairo_move_to(cairo_.get(), width_ * 0.18, 1080);
    cairo_curve_to(cairo_.get(), width_ * 0.45, 800, width_ * 0.62, 700, width_ * 0.57, 628);
    cairo_line_to(cairo_.get(), width_ * 0.62, 625);
    cairo_curve_to(cairo_.get(), width_ * 0.72, 720, width_ * 0.74, 860, width_ * 0.80, 1080);
    cairo_fill(cairo_.get());
    ink(p.light, 0.8);
    const double dashes[] = {26, 30};
    cairo_set_dash(cairo_.get(), dashes, 2, 0);
    cairo_set_line_width(cairo_.get(), 7);
    cairo_move_to(cairo_.get(), width_ * 0.5, 1080);
    cairo_curve_to(cairo_.get(), width_ * 0.58, 860, width_ * 0.66, 740, width_ * 0.595, 630);
    cairo_stroke(cairo_.get());
    cairo_set_dash(cairo_.get(), dashes, 0, 0);
  }

  void kart(double x, double y, double size, Hue hue) {
    cairo_save(cairo_.get());
    cairo_translate(cairo_.get(), x, y);
    cairo_scale(cairo_.get(), size, size);
    const Hue black{0.08, 0.08, 0.1}, glass{0.75, 0.88, 0.92}, light{1, 0.85, 0.5};
    disc(-95, 70, 38, black, 1);
    disc(95, 70, 38, black, 1);
    box(-120, -30, 240, 96, 30, hue);
    box(-70, -92, 140, 76, 34, glass);
    box(-132, -64, 264, 18, 8, hue);
    disc(-88, 22, 13, light, 1);
    disc(88, 22, 13, light, 1);
    cairo_restore(cairo_.get());
  }

  void box(double x, double y, double width, double height, double radius, Hue hue) {
    ink(hue);
    cairo_new_sub_path(cairo_.get());
    cairo_arc(cairo_.get(), x + width - radius, y + radius, radius, -M_PI / 2, 0);
    cairo_arc(cairo_.get(), x + width - radius, y + height - radius, radius, 0, M_PI / 2);
    cairo_arc(cairo_.get(), x + radius, y + height - radius, radius, M_PI / 2, M_PI);
    cairo_arc(cairo_.get(), x + radius, y + radius, radius, M_PI, 1.5 * M_PI);
    cairo_close_path(cairo_.get());
    cairo_fill(cairo_.get());
  }

  std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> surface_;
  std::unique_ptr<cairo_t, decltype(&cairo_destroy)> cairo_;
  std::mt19937 random_;
  double width_ = 1920;
};

}  // namespace

std::vector<std::string> ground_names() {
  std::vector<std::string> names;
  for (const auto& [name, ground] : kGrounds) names.emplace_back(name);
  return names;
}

std::optional<Ground> ground_from(std::string_view name) {
  for (const auto& [known, ground] : kGrounds) {
    if (name == known) return ground;
  }
  return std::nullopt;
}

Image game_picture(int width, int height, Ground ground) {
  Image image(width, height);
  Canvas canvas(image, 7);
  canvas.paint(ground == Ground::night ? kNight : kDay);
  if (ground == Ground::reef) canvas.scatter(900);
  return image;
}

}  // namespace idlemeter::rig
