// Idle Meter: images as PNG files.
#pragma once

#include <cstddef>
#include <filesystem>
#include <string>
#include <string_view>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/draw/image.hpp"

namespace idlemeter {

/// Throws Error if the file can't be read, isn't a PNG, or has more pixels than that, which is seen before anything is
/// decoded.
[[nodiscard]] Image load_png(const std::filesystem::path& file, std::size_t most_pixels = limits::kPicturePixels);

/// The same of a PNG's bytes; `where` is what an Error calls them.
[[nodiscard]] Image decode_png(std::string_view bytes, const std::string& where,
                               std::size_t most_pixels = limits::kPicturePixels);

/// The image as a PNG's bytes. Throws Error if a side is over 32,767 pixels.
[[nodiscard]] std::string encode_png(const Image& image);

/// Replaces the file in one step: it is the old one or the new one, never half. Links are followed, devices written
/// into. Throws Error if it can't be written.
void write_png(const Image& image, const std::filesystem::path& file);

}  // namespace idlemeter
