// Keys pressed together, as settings name them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace idlemeter::base {

/// "Ctrl+Alt+O": modifiers and a key.
struct KeyChord {
  enum Modifier : std::uint8_t { shift = 1, ctrl = 2, alt = 4, super = 8 };

  std::uint8_t modifiers = 0;
  std::string key = {};  ///< by its xkb name; a letter is a capital
};

/// Upper and lower case alike: "alt+Ctrl+o". Empty if a modifier is unknown or the key is missing; the key's name isn't
/// checked.
[[nodiscard]] std::optional<KeyChord> key_chord_from(std::string_view text);

/// The usual spelling: "Ctrl+Alt+O".
[[nodiscard]] std::string to_string(const KeyChord& chord);

}  // namespace idlemeter::base
