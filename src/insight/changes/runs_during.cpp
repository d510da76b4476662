#include "idlemeter/insight/runs_during.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "idlemeter/insight/words.hpp"
#include "runs/tables/decimal.hpp"

namespace idlemeter {

std::vector<RunMeanwhile> runs_during(const std::vector<RunInfo>& all, const RunInfo& one) {
  std::vector<RunMeanwhile> found;
  const auto origin = runs::date_nanoseconds(one.started, '.');
  for (const RunInfo& other : all) {
    const auto begin = runs::date_nanoseconds(other.started, '.');
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
