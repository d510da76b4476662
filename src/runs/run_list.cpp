#include "idlemeter/runs/run_list.hpp"

#include <fmt/format.h>

#include <charconv>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"

namespace idlemeter {

std::vector<std::int64_t> run_list(const std::string& text) {
  std::vector<std::int64_t> numbers;
  for (const std::string& part : split(text, ',')) {
    std::int64_t first = 0, last = 0;
    const char* const end = part.data() + part.size();
    auto [at, wrong] = std::from_chars(part.data(), end, first);
    last = first;
    if (wrong == std::errc() && at != end && *at == '-') {
      const auto rest = std::from_chars(at + 1, end, last);
      at = rest.ptr;
      wrong = rest.ec;
    }
    if (wrong != std::errc() || at != end || first < 1 || last < first || last - first >= 10'000)
      throw Error(Error::Code::invalid, fmt::format("'{}' isn't a list of runs", text), "",
                  "write it like 1-5 or 1,2,7");
    for (; first <= last; ++first) numbers.push_back(first);
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
