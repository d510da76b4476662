// Idle Meter: how large texts are.
#pragma once

#include <compare>
#include <string>

namespace idlemeter {

struct TextStyle {
  std::string font = "sans";
  double size = 18;  ///< pixels
  bool bold = false;
  friend auto operator<=>(const TextStyle&, const TextStyle&) = default;
};

struct TextExtent {
  double width = 0, ascent = 0, descent = 0;
};

/// Measures text. Implemented by whatever draws it.
class TextMeasure {
 public:
  virtual ~TextMeasure() = default;

  /// Of one line of text, in pixels: the advance, and the font's (not the text's) ascent and descent.
  [[nodiscard]] virtual TextExtent measure(const std::string& text, const TextStyle& style) = 0;
};

}  // namespace idlemeter
