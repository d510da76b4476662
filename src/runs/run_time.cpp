#include "runs/run_time.hpp"

#include <algorithm>
#include <chrono>

namespace idlemeter::runs {

bool is_run_time(std::string_view text) {
  constexpr std::string_view kForm = "0000-00-00T00:00:00Z";
  const auto fits = [](char c, char form) { return form == '0' ? c >= '0' && c <= '9' : c == form; };
  if (text.size() != kForm.size() || !std::equal(text.begin(), text.end(), kForm.begin(), fits)) return false;
  const auto number = [&](std::size_t at) {
    return static_cast<unsigned>((text[at] - '0') * 10 + (text[at + 1] - '0'));
  };
  const std::chrono::year_month_day date{std::chrono::year(static_cast<int>(number(0) * 100 + number(2))),
                                         std::chrono::month(number(5)), std::chrono::day(number(8))};
  return date.ok() && number(11) < 24 && number(14) < 60 && number(17) <= 60;
}

}  // namespace idlemeter::runs
