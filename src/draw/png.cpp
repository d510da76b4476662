#include "idlemeter/draw/png.hpp"

#include <cairo.h>
#include <fmt/format.h>

#include <cstring>
#include <memory>
#include <string>
#include <string_view>

#include "base/png.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/draw/image.hpp"

namespace idlemeter {
namespace {

using namespace base;

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

/// "" or what is wrong with the picture, seen before anything is decoded.
std::string check_png(std::string_view bytes, std::size_t most_pixels) {
  const auto size = png_size(bytes);
  if (!size) return "it isn't a PNG";
  const auto [width, height] = *size;
  const bool fits = width > 0 && height > 0 && width <= limits::kPictureSide && height <= limits::kPictureSide;
  if (fits && width * height <= most_pixels) return "";
  return fmt::format("it has {} x {} pixels; up to {} million, and {} a side, are taken", width, height,
                     most_pixels >> 20, limits::kPictureSide);
}

/// Hands a PNG's bytes to cairo as it asks for them.
struct Reading {
  std::string_view rest;

  static cairo_status_t give(void* self, unsigned char* into, unsigned int size) {
    auto& rest = static_cast<Reading*>(self)->rest;
    if (size > rest.size()) return CAIRO_STATUS_READ_ERROR;
    std::memcpy(into, rest.data(), size);
    rest.remove_prefix(size);
    return CAIRO_STATUS_SUCCESS;
  }
};

}  // namespace

Image decode_png(std::string_view bytes, const std::string& where, std::size_t most_pixels) {
  const auto fail = [&](const std::string& why) {
    throw Error(Error::Code::unreadable, fmt::format("cannot read the picture ({})", why), where, "give a PNG file");
  };
  if (const std::string wrong = check_png(bytes, most_pixels); !wrong.empty()) fail(wrong);
  Reading reading{bytes};
  Surface surface(cairo_image_surface_create_from_png_stream(&Reading::give, &reading), &cairo_surface_destroy);
  if (const cairo_status_t status = cairo_surface_status(surface.get()); status != CAIRO_STATUS_SUCCESS)
    fail(cairo_status_to_string(status));
  if (cairo_image_surface_get_format(surface.get()) != CAIRO_FORMAT_ARGB32) surface = as_argb32(std::move(surface));
  Image image(cairo_image_surface_get_width(surface.get()), cairo_image_surface_get_height(surface.get()));
  const unsigned char* data = cairo_image_surface_get_data(surface.get());
  if (data == nullptr) fail("there is no memory for it");
  const int stride = cairo_image_surface_get_stride(surface.get());
  for (int y = 0; y < image.height; ++y) {
    std::memcpy(&image.pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(image.width)],
                data + static_cast<std::ptrdiff_t>(y) * stride,
                static_cast<std::size_t>(image.width) * sizeof(std::uint32_t));
  }
  return image;
}

Image load_png(const fs::path& file, std::size_t most_pixels) {
  const FileBytes read = read_regular_file(file, limits::kPictureBytes * 4);
  if (!read.problem.empty())
    throw Error(Error::Code::unreadable, fmt::format("cannot read the picture ({})", read.problem), file.string(),
                "give a PNG file");
  return decode_png(read.bytes, file.string(), most_pixels);
}

namespace {

/// A surface of the image's own pixels, only to be read.
Surface surface_of(const Image& image) {
  auto* pixels = const_cast<std::uint32_t*>(image.pixels.data());
  return {
      cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(pixels), CAIRO_FORMAT_ARGB32, image.width,
                                          image.height, image.width * static_cast<int>(sizeof(std::uint32_t))),
      &cairo_surface_destroy};
}

}  // namespace

std::string encode_png(const Image& image) {
  const Surface surface = surface_of(image);
  std::string bytes;
  const auto take = [](void* into, const unsigned char* data, unsigned int size) {
    static_cast<std::string*>(into)->append(reinterpret_cast<const char*>(data), size);
    return CAIRO_STATUS_SUCCESS;
  };
  const cairo_status_t status = cairo_surface_write_to_png_stream(surface.get(), take, &bytes);
  if (status != CAIRO_STATUS_SUCCESS)
    throw Error(Error::Code::unwritable, fmt::format("cannot make a PNG of {} x {} pixels ({})", image.width,
                                                     image.height, cairo_status_to_string(status)));
  return bytes;
}

void write_png(const Image& image, const fs::path& file) {
  expect_replaceable(file);
  const std::string problem = write_whole_file(file, encode_png(image));
  if (!problem.empty())
    throw Error(Error::Code::unwritable, fmt::format("cannot write the picture ({})", problem), file.string(),
                "name a file in a folder that you may write to");
}

}  // namespace idlemeter
