#include "idlemeter/runs/run_list.hpp"

#include <fmt/format.h>

#include <charconv>
#include <optional>
#include <string_view>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"

namespace idlemeter {

namespace {

/// The first and the last run of a part like 3 or 1-5.
std::optional<std::pair<std::int64_t, std::int64_t>> range_in(std::string_view part) {
  std::int64_t first = 0, last = 0;
  const char* const end = part.data() + part.size();
  auto read = std::from_chars(part.data(), end, first);
  last = first;
  if (read.ec == std::errc() && read.ptr != end && *read.ptr == '-') read = std::from_chars(read.ptr + 1, end, last);
  const bool is_range =
      read.ec == std::errc() && read.ptr == end && first >= 1 && last >= first && last - first < 10'000;
  return is_range ? std::optional(std::pair(first, last)) : std::nullopt;
}

}  // namespace

std::vector<std::int64_t> run_list(const std::string& text) {
  std::vector<std::int64_t> numbers;
  for (const std::string& part : split(text, ',')) {
    const auto range = range_in(part);
    if (!range)
      throw Error(Error::Code::invalid, fmt::format("'{}' isn't a list of runs", text), "",
                  "write it like 1-5 or 1,2,7");
    for (std::int64_t run = range->first; run <= range->second; ++run) numbers.push_back(run);
  }
  if (numbers.empty()) throw Error(Error::Code::invalid, "an empty list of runs", "", "write it like 1-5 or 1,2,7");
  return numbers;
}

std::vector<std::int64_t> run_lists(const std::vector<std::string>& texts) {
  std::vector<std::int64_t> numbers;
  for (const std::string& text : texts) {
    const auto some = run_list(text);
    numbers.insert(numbers.end(), some.begin(), some.end());
  }
  return numbers;
}

}  // namespace idlemeter
