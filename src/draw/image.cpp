#include <cairo.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cstring>
#include <memory>

#include "idlemeter/draw.hpp"
#include "idlemeter/error.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

using Surface = std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)>;

/// Any surface as 32 bits a pixel.
Surface as_argb32(Surface from) {
  const int width = cairo_image_surface_get_width(from.get()), height = cairo_image_surface_get_height(from.get());
  Surface to(cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height), &cairo_surface_destroy);
  cairo_t* context = cairo_create(to.get());
  cairo_set_source_surface(context, from.get(), 0, 0);
  cairo_paint(context);
  cairo_destroy(context);
  cairo_surface_flush(to.get());
  return to;
}

}  // namespace

Image read_png(const fs::path& file) {
  Surface surface(cairo_image_surface_create_from_png(file.c_str()), &cairo_surface_destroy);
  const cairo_status_t status = cairo_surface_status(surface.get());
  if (status != CAIRO_STATUS_SUCCESS) {
    throw Error(fmt::format("cannot read the picture ({})", cairo_status_to_string(status)), file.string(),
                "give a PNG file");
  }
  surface = as_argb32(std::move(surface));
  Image image(cairo_image_surface_get_width(surface.get()), cairo_image_surface_get_height(surface.get()));
  const unsigned char* data = cairo_image_surface_get_data(surface.get());
  const int stride = cairo_image_surface_get_stride(surface.get());
  for (int y = 0; y < image.height; ++y) {
    std::memcpy(&image.pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(image.width)],
                data + static_cast<std::ptrdiff_t>(y) * stride,
                static_cast<std::size_t>(image.width) * sizeof(std::uint32_t));
  }
  return image;
}

void write_png(const Image& image, const fs::path& file) {
  auto* pixels = const_cast<std::uint32_t*>(image.pixels.data());  // cairo only reads them here
  const Surface surface(
      cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(pixels), CAIRO_FORMAT_ARGB32, image.width,
                                          image.height, image.width * static_cast<int>(sizeof(std::uint32_t))),
      &cairo_surface_destroy);
  const fs::path half = file.string() + fmt::format(".{}.part", getpid());
  const cairo_status_t status = cairo_surface_write_to_png(surface.get(), half.c_str());
  std::error_code failed;
  if (status == CAIRO_STATUS_SUCCESS) fs::rename(half, file, failed);
  if (status == CAIRO_STATUS_SUCCESS && !failed) return;
  fs::remove(half, failed);
  throw Error(fmt::format("cannot write the picture ({})",
                          status == CAIRO_STATUS_SUCCESS ? failed.message() : cairo_status_to_string(status)),
              file.string(), "name a file in a folder that you may write to");
}

}  // namespace idlemeter
