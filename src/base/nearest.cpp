#include "idlemeter/base/nearest.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cctype>

namespace idlemeter {
namespace {

char fold(char c) { return static_cast<char>(std::tolower(static_cast<unsigned char>(c))); }

/// Optimal string alignment distance: Levenshtein with swaps of neighbours.
std::size_t edits(std::string_view a, std::string_view b) {
  std::vector<std::size_t> before_last(b.size() + 1), last(b.size() + 1), row(b.size() + 1);
  for (std::size_t j = 0; j <= b.size(); ++j) last[j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    row[0] = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const bool same = fold(a[i - 1]) == fold(b[j - 1]);
      row[j] = std::min({last[j] + 1, row[j - 1] + 1, last[j - 1] + (same ? 0 : 1)});
      if (i > 1 && j > 1 && fold(a[i - 1]) == fold(b[j - 2]) && fold(a[i - 2]) == fold(b[j - 1])) {
        row[j] = std::min(row[j], before_last[j - 2] + 1);
      }
    }
    std::swap(before_last, last);
    std::swap(last, row);
  }
  return last[b.size()];
}

std::vector<std::string_view> parts(std::string_view id) {
  std::vector<std::string_view> found;
  while (!id.empty()) {
    const std::size_t end = std::min(id.find_first_of(".@_- "), id.size());
    if (end > 0) found.push_back(id.substr(0, end));
    id.remove_prefix(std::min(end + 1, id.size()));
  }
  return found;
}

/// How many of a's parts b has too (a typo in one allowed), from 0 to 1: half by a's own number, half by the longer's,
/// so that "hotspot" finds "gpu.hotspot.temp".
double shared_parts(const std::vector<std::string_view>& a, const std::vector<std::string_view>& b) {
  std::size_t shared = 0;
  for (std::string_view part : a) {
    shared +=
        std::any_of(b.begin(), b.end(), [&](std::string_view other) { return edits(part, other) <= part.size() / 4; });
  }
  const auto of = [shared](std::size_t parts) { return static_cast<double>(shared) / static_cast<double>(parts); };
  return a.empty() || b.empty() ? 0 : (of(a.size()) + of(std::max(a.size(), b.size()))) / 2;
}

}  // namespace

std::vector<std::string> nearest(std::string_view word, std::span<const std::string_view> words, std::size_t most) {
  constexpr std::size_t kLongest = 100;  // nobody mistypes more than that
  if (word.size() > kLongest) return {};
  const auto word_parts = parts(word);
  std::vector<std::pair<double, std::string_view>> scored;  // lower is nearer
  for (std::string_view candidate : words) {
    if (candidate.size() > kLongest) continue;
    const double length = static_cast<double>(std::max({word.size(), candidate.size(), std::size_t{1}}));
    const double distance = static_cast<double>(edits(word, candidate)) / length;
    const double score = std::min(distance, 0.9 - 0.65 * shared_parts(word_parts, parts(candidate)));
    if (score <= 0.5) scored.emplace_back(score + distance / 100, candidate);
  }
  std::stable_sort(scored.begin(), scored.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::vector<std::string> found;
  for (const auto& [score, candidate] : scored) {
    if (found.size() == most) break;
    found.emplace_back(candidate);
  }
  return found;
}

std::string did_you_mean(std::string_view word, std::span<const std::string_view> words) {
  const auto found = nearest(word, words);
  return found.empty() ? "" : fmt::format("; did you mean '{}'?", fmt::join(found, "' or '"));
}

}  // namespace idlemeter
