// Enumerations with a word for each value.
#pragma once

#include <algorithm>
#include <cstddef>
#include <iterator>
#include <optional>
#include <string_view>

namespace idlemeter::base {

template <typename T>
struct Word {
  std::string_view word;
  T value;
};

/// The value's word; each value has one.
template <typename T, std::size_t N>
std::string_view word_of(T value, const Word<T> (&words)[N]) {
  return std::find_if(std::begin(words), std::end(words), [&](const auto& one) { return one.value == value; })->word;
}

/// Empty if no value has that word.
template <typename T, std::size_t N>
std::optional<T> value_of(std::string_view word, const Word<T> (&words)[N]) {
  const auto* found =
      std::find_if(std::begin(words), std::end(words), [&](const auto& one) { return one.word == word; });
  return found == std::end(words) ? std::nullopt : std::optional(found->value);
}

}  // namespace idlemeter::base
