#include "idlemeter/insight/runs_during.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <optional>

#include "idlemeter/insight/words.hpp"

namespace idlemeter {
namespace {

/// Seconds since 1970 of "2026-03-01T20:15:00Z".
std::optional<Nanoseconds> started(const RunInfo& run) {
  int year = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0;
  if (std::sscanf(run.started.c_str(), "%d-%d-%dT%d:%d:%d", &year, &month, &day, &hour, &minute, &second) != 6)
    return {};
  const std::chrono::year_month_day date{std::chrono::year(year),
                                         std::chrono::month(static_cast<unsigned>(std::max(0, month))),
                                         std::chrono::day(static_cast<unsigned>(std::max(0, day)))};
  if (!date.ok()) return {};
  return std::chrono::duration_cast<Nanoseconds>(std::chrono::sys_days(date).time_since_epoch()) +
         kSecond * (hour * 3'600LL + minute * 60LL + second);
}

}  // namespace

std::vector<RunMeanwhile> runs_during(const std::vector<RunInfo>& all, const RunInfo& one) {
  std::vector<RunMeanwhile> found;
  const auto origin = started(one);
  for (const RunInfo& other : all) {
    const auto begin = started(other);
    if (!origin || !begin || other.id == one.id) continue;
    const RunMeanwhile here{other.id, other.details.game, *begin - *origin, *begin - *origin + other.length};
    if (here.begin < one.length && here.end > Nanoseconds{}) found.push_back(here);
  }
  std::stable_sort(found.begin(), found.end(),
                   [](const RunMeanwhile& a, const RunMeanwhile& b) { return a.begin < b.begin; });
  return found;
}

std::string meanwhile_words(const std::vector<RunMeanwhile>& runs) {
  std::string words;
  for (const RunMeanwhile& run : runs)
    words +=
        fmt::format("{}run {}{}, from {} to {}", words.empty() ? "Meanwhile: " : "; ", run.id,
                    run.game.empty() ? "" : ", " + run.game, second_words(Moment{std::max(Nanoseconds{}, run.begin)}),
                    second_words(Moment{run.end + kSecond / 2}));
  return words.empty() ? "" : words + ".";
}

}  // namespace idlemeter
