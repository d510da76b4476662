// Texts in UTF-8.
#pragma once

#include <algorithm>
#include <string_view>

namespace idlemeter {

/// True for the bytes of a character that aren't its first.
inline bool continues_character(char byte) { return (static_cast<unsigned char>(byte) & 0xC0) == 0x80; }

/// How many characters a text has.
inline std::size_t characters(std::string_view text) {
  return static_cast<std::size_t>(
      std::count_if(text.begin(), text.end(), [](char byte) { return !continues_character(byte); }));
}

}  // namespace idlemeter
