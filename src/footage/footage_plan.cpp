#include "idlemeter/footage/footage_plan.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <vector>

#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {
namespace {

constexpr int kMostRate = 240;  // pictures a second

Nanoseconds moment_in(const Store& store, std::int64_t run, const std::string& text, Nanoseconds otherwise) {
  if (text.empty()) return otherwise;
  const auto mark = mark_number(text);
  if (!mark) {
    const auto time = duration_from(text, "s");
    if (!time) throw Error(Error::Code::invalid, fmt::format("'{}' isn't a moment", text), "", "write it like 0:42");
    return *time;
  }
  const std::vector<RunMark> marks = marks_in(store.series(run, &ReadingInfo::text));
  if (*mark > marks.size())
    throw Error(Error::Code::not_found,
                marks.empty() ? fmt::format("run {} has no marks", run)
                              : fmt::format("run {} has {} mark{}", run, marks.size(), marks.size() == 1 ? "" : "s"),
                store.path().string(), "name a time instead, like 0:42");
  return marks[*mark - 1].at.time_since_epoch();
}

/// Finds the clip's moment at which the tone of the recording's start, or of a mark, begins.
Nanoseconds find_tone(FootagePlan& plan, bool of_mark) {
  const auto found = cues_in(*plan.over, of_mark ? CueTone::mark : CueTone::start);
  if (found.empty())
    throw Error(Error::Code::not_found,
                fmt::format("no tone of a recording's {} is heard in the clip", of_mark ? "mark" : "start"),
                plan.over->file.string(), "say where the run begins in it, like 0:12.4");
  plan.tone = found.front();
  plan.tones = found.size();
  return found.front().at;
}

/// The moment of the clip at which the overlay begins.
Nanoseconds clip_moment(const std::string& text) {
  if (text.empty()) return Nanoseconds{};
  if (const auto at = duration_from(text, "s")) return *at;
  throw Error(Error::Code::invalid, fmt::format("'{}' isn't a moment", text), "", "write it like 0:12.4, or 'tone'");
}

/// Over a clip: its size, rate and length, with the run's moment where it is said to be.
void lay_over_clip(FootagePlan& plan, const FootageRequest& request) {
  plan.over = load_clip(request.over);
  FootageOptions& options = plan.options;
  options.width = plan.over->width;
  options.height = plan.over->height;
  options.rate = plan.over->rate;
  options.length = plan.over->length;
  options.from -= request.clip_from == "tone" ? find_tone(plan, mark_number(request.from).has_value())
                                              : clip_moment(request.clip_from);
}

}  // namespace

FootagePlan plan_footage(const Store& store, const FootageRequest& request) {
  const RunInfo run = store.run(request.run);
  FootagePlan plan{.options = {.width = request.width, .height = request.height, .rate = request.rate}};
  FootageOptions& options = plan.options;
  options.from = moment_in(store, run.id, request.from, Nanoseconds{});
  if (options.from > run.length)
    throw Error(Error::Code::invalid, fmt::format("run {} is {:.1f} s long", run.id, in_seconds(run.length)),
                store.path().string(), "begin at a moment in it");
  if (!request.over.empty()) {
    lay_over_clip(plan, request);
    return plan;
  }
  options.length = std::min(run.length, moment_in(store, run.id, request.until, run.length)) - options.from;
  if (options.length <= Nanoseconds{})
    throw Error(Error::Code::invalid, "there is nothing between the two moments", store.path().string(),
                "let the end be the later one");
  return plan;
}

std::optional<std::size_t> mark_number(std::string_view text) {
  if (!text.starts_with("mark")) return std::nullopt;
  std::string rest(text.substr(4));
  std::erase(rest, ' ');
  if (rest.empty()) return 1;
  if (rest.size() > 4 || rest.find_first_not_of("0123456789") != std::string::npos) return std::nullopt;
  const auto number = static_cast<std::size_t>(std::stoul(rest));
  return number > 0 ? std::optional(number) : std::nullopt;
}

std::optional<PictureRate> picture_rate_from(std::string_view given) {
  const std::string text(given);
  const std::size_t slash = text.find('/');
  if (slash != std::string::npos) {
    const long long count = std::atoll(text.c_str()), seconds = std::atoll(text.c_str() + slash + 1);
    const bool fits = count >= 1 && seconds >= 1 && count / seconds <= kMostRate;
    return fits ? std::optional(PictureRate{count, seconds}) : std::nullopt;
  }
  char* end = nullptr;
  const double value = std::strtod(text.c_str(), &end);
  if (end != text.c_str() + text.size() || !(value >= 1 && value <= kMostRate)) return std::nullopt;
  // 59.94 and 23.976 are names for ratios.
  const double whole = std::round(value);
  if (std::abs(value * 1.001 - whole) < 0.005 && value != whole) return PictureRate{std::llround(whole) * 1'000, 1'001};
  return PictureRate{std::llround(value * 1'000), 1'000};
}

}  // namespace idlemeter
