// The right words most like a wrong one.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace idlemeter {

/// The words that differ from `word` by few edits (insert, drop, change or swap of neighbours; upper and lower case
/// alike), or that share most of its dotted parts; best first, at most `most`. O(words * length^2).
[[nodiscard]] std::vector<std::string> nearest(std::string_view word, std::span<const std::string_view> words,
                                               std::size_t most = 3);

/// "; did you mean 'a' or 'b'?" or "" if nothing is near.
[[nodiscard]] std::string did_you_mean(std::string_view word, std::span<const std::string_view> words);

}  // namespace idlemeter
