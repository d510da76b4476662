// Texts measured and turned into masks, once each.
#pragma once

#include <pango/pangocairo.h>

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>

#include "draw/mask.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"

namespace idlemeter::draw {

struct GObjectUnref {
  void operator()(gpointer object) const { g_object_unref(object); }
};
template <typename T>
using GObject = std::unique_ptr<T, GObjectUnref>;

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

/// Keeps up to 4,096 texts and about 64 MB of masks; the half that wasn't used for longest goes first. One thread at a
/// time.
class Texts {
 public:
  Texts();

  /// A text as it would be drawn, without its masks unless it was drawn before. Valid until the next call.
  const KnownText& measured(const std::string& text, const TextStyle& style) { return known(text, style).second; }

  /// The text with the masks that drawing it takes. Valid until the next call.
  const KnownText& shaped(const TextShape& text);

 private:
  using Key = std::pair<std::string, TextStyle>;
  using Known = std::map<Key, KnownText>::value_type;

  [[nodiscard]] GObject<PangoLayout> layout_of(const std::string& text, const TextStyle& style) const;
  Known& known(const std::string& text, const TextStyle& style);
  Known& known_shown(const std::string& text, const TextStyle& style);
  void forget_oldest();

  GObject<PangoFontMap> font_map_;
  GObject<PangoContext> context_;
  std::map<Key, KnownText> texts_;
  std::size_t mask_bytes_ = 0;  // of all texts
  std::uint64_t uses_ = 0;
};

}  // namespace idlemeter::draw
