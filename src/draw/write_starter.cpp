#include "idlemeter/draw/write_starter.hpp"

#include <cairo.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/starters.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

constexpr const char* kGaugeFile = "gauge.png";  // as faces/dashboard.toml calls it
constexpr int kGaugeColumns = 4, kGaugeRows = 2, kGaugeSize = 128;

/// One thermometer, filled to `share`, from cool to hot.
void draw_gauge(cairo_t* cairo, double x, double y, double share) {
  cairo_save(cairo);
  cairo_translate(cairo, x + kGaugeSize / 2.0, y);
  const auto stem = [&](double width, double top) {
    cairo_new_path(cairo);
    cairo_arc(cairo, 0, top, width, M_PI, 2 * M_PI);
    cairo_line_to(cairo, width, 92);
    cairo_arc(cairo, 0, 100, width + 8, -M_PI / 3, M_PI + M_PI / 3);
    cairo_line_to(cairo, -width, 92);
    cairo_close_path(cairo);
  };
  cairo_set_source_rgba(cairo, 0.95, 0.97, 1, 0.9);
  stem(15, 20);
  cairo_fill(cairo);
  cairo_set_source_rgb(cairo, 0.10, 0.12, 0.17);
  stem(11, 20);
  cairo_fill(cairo);
  cairo_set_source_rgb(cairo, 0.48 + 0.52 * share, 0.75 - 0.36 * share, 1 - 0.62 * share);
  stem(7, 88 - 66 * share);
  cairo_fill(cairo);
  cairo_restore(cairo);
}

}  // namespace

Image gauge_sheet() {
  Image sheet(kGaugeColumns * kGaugeSize, kGaugeRows * kGaugeSize);
  cairo_surface_t* surface =
      cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(sheet.pixels.data()), CAIRO_FORMAT_ARGB32,
                                          sheet.width, sheet.height, sheet.width * 4);
  cairo_t* cairo = cairo_create(surface);
  constexpr int kStates = kGaugeColumns * kGaugeRows;
  for (int state = 0; state < kStates; ++state) {
    draw_gauge(cairo, state % kGaugeColumns * kGaugeSize, state / kGaugeColumns * kGaugeSize, state / (kStates - 1.0));
  }
  cairo_destroy(cairo);
  cairo_surface_destroy(surface);
  return sheet;
}

void write_starter(const Starter& starter, const fs::path& file) {
  if (fs::exists(file))
    throw Error(Error::Code::exists, "already exists", file.string(), "name another file, or remove this one first");
  replace_file(file, starter.toml, FileKind::toml);
  const fs::path gauge = file.parent_path() / kGaugeFile;
  const bool uses_gauge = starter.toml.find(kGaugeFile) != std::string_view::npos;
  if (uses_gauge && !fs::exists(gauge)) write_png(gauge_sheet(), gauge);
}

}  // namespace idlemeter
