// Idle Meter: colours.
#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

namespace idlemeter {

struct Color {
  std::uint8_t red = 0, green = 0, blue = 0, alpha = 255;
  friend bool operator==(Color, Color) = default;
};

/// "#8fd694" or "#8fd694cc"; empty for anything else.
[[nodiscard]] std::optional<Color> color_from(std::string_view text);

}  // namespace idlemeter
