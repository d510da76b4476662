// What a PNG says of itself before it is decoded.
#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

namespace idlemeter::base {

struct PngSize {
  std::uint64_t width = 0, height = 0;
};

/// By the signature and the first chunk (PNG 1.2, 5.2 and 11.2.2); empty if the bytes don't begin like a PNG.
std::optional<PngSize> png_size(std::string_view bytes);

}  // namespace idlemeter::base
