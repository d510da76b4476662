#include "base/key_chord.hpp"

#include <algorithm>
#include <iterator>

#include "idlemeter/base/text.hpp"

namespace idlemeter::base {
namespace {

constexpr std::pair<std::string_view, KeyChord::Modifier> kModifiers[] = {
    {"Shift", KeyChord::shift}, {"Ctrl", KeyChord::ctrl}, {"Alt", KeyChord::alt}, {"Super", KeyChord::super}};

}  // namespace

std::optional<KeyChord> key_chord_from(std::string_view text) {
  KeyChord chord;
  // A '+' at the end is the key itself.
  for (std::size_t plus; (plus = text.find('+')) != std::string_view::npos && plus + 1 < text.size();) {
    const std::string word = lower_case(text.substr(0, plus));
    const auto* known = std::find_if(std::begin(kModifiers), std::end(kModifiers),
                                     [&](const auto& modifier) { return lower_case(modifier.first) == word; });
    if (known == std::end(kModifiers)) return std::nullopt;
    chord.modifiers |= known->second;
    text.remove_prefix(plus + 1);
  }
  if (text.empty()) return std::nullopt;
  chord.key = text;
  const char letter = chord.key[0];
  if (chord.key.size() == 1 && letter >= 'a' && letter <= 'z') chord.key[0] = static_cast<char>(letter - 'a' + 'A');
  return chord;
}

std::string to_string(const KeyChord& chord) {
  std::string text;
  for (const auto& [word, modifier] : kModifiers) {
    if ((chord.modifiers & modifier) != 0) text.append(word).append("+");
  }
  return text + chord.key;
}

}  // namespace idlemeter::base
