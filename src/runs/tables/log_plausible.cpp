#include "runs/tables/log_plausible.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "frames/median.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/units.hpp"
#include "runs/tables/log_heading.hpp"
#include "runs/tables/log_scale.hpp"

namespace idlemeter::runs {
namespace {

constexpr std::size_t kLeastLines = 5;              // that say something of the others
constexpr double kFastest = 0.2e6, kSlowest = 2e9;  // ns: 5,000 to 0.5 frames a second
constexpr double kLineASecond = 0.5e9;              // ns between lines that aren't frames
constexpr double kApart = 3, kRatesApart = 1.5;     // factors

class Plausible {
 public:
  Plausible(const std::vector<std::vector<std::string>>& data, const LogPlan& plan, const FrameLogFormat& asked,
            const std::string& where)
      : data_(data), format_(plan.format), asked_(asked), where_(where) {}

  void check(const std::vector<std::string>& heading) const {
    const std::vector<double> frames = numbers(format_.frame_time), steps = steps_of(numbers(format_.time));
    check_size(frames);
    if (frames.empty()) check_steps_alone(steps);
    if (!frames.empty()) check_steps(frames, steps);
    for (std::size_t i = 0; i < heading.size(); ++i) {
      if (read_heading(heading[i]).core == "fps" && i != format_.frame_time.at)
        check_rates(i, heading[i], frames.empty() ? steps : frames);
    }
  }

 private:
  [[nodiscard]] std::vector<double> numbers(const LogColumn& column) const {
    std::vector<double> all;
    const Scale scale(column.unit);
    Nanoseconds number{};
    for (const auto& fields : data_) {
      if (column.at && *column.at < fields.size() && scale.read(fields[*column.at], point(), number))
        all.push_back(static_cast<double>(number.count()));
    }
    return all;
  }

  [[nodiscard]] char point() const { return format_.decimal_comma.value_or(false) ? ',' : '.'; }

  /// None if moments go back, as those of several runs do.
  static std::vector<double> steps_of(const std::vector<double>& moments) {
    std::vector<double> steps;
    for (std::size_t i = 1; i < moments.size(); ++i) steps.push_back(moments[i] - moments[i - 1]);
    const bool goes_back = std::any_of(steps.begin(), steps.end(), [](double step) { return step < 0; });
    return goes_back ? std::vector<double>() : steps;
  }

  static double median(std::vector<double> numbers) { return frames::median_of(numbers); }

  [[noreturn]] void fail(const std::string& problem, const std::string& fix) const {
    const std::string line =
        data_.empty() ? ""
                      : fmt::format("{}", fmt::join(data_.front(),
                                                    std::string(1, format_.delimiter == 0 ? ' ' : format_.delimiter)));
    throw Error(Error::Code::invalid, fmt::format("{} (the first line is '{}')", problem, cut_to(printable(line), 60)),
                where_, fix);
  }

  void check_size(const std::vector<double>& frames) const {
    if (frames.empty() || asked_.frame_time.unit) return;
    const double middle = median(frames);
    if (middle <= 0 || (middle >= kFastest && middle <= kSlowest)) return;
    fail(fmt::format("'{}' in {} would be {} frames a second", printable(format_.frame_time.name),
                     name_of(*format_.frame_time.unit), format_number(1e9 / middle, middle > kSlowest ? 3 : 0)),
         "say which unit the column has, and whether a comma or a point separates decimals");
  }

  void check_steps_alone(const std::vector<double>& steps) const {
    if (steps.size() < kLeastLines) return;
    const double middle = median(steps);
    if (middle >= kLineASecond)
      fail(fmt::format("its lines are {:.3g} s apart: averages, not frames, which have no lows", middle / 1e9),
           "name a column of frame times, or read it as a table of readings");
    const bool counts = std::all_of(steps.begin(), steps.end(), [](double step) { return step == 1e6; });
    if (counts && !asked_.time.unit && format_.time.unit == LogUnit::millisecond)
      fail(fmt::format("'{}' counts 1, 2, 3 …: lines or seconds, not when frames were presented",
                       printable(format_.time.name)),
           "name a column of frame times, or say which unit the moments have");
  }

  void check_steps(const std::vector<double>& frames, const std::vector<double>& steps) const {
    if (steps.size() < kLeastLines) return;
    double sum = 0;
    for (const double step : steps) sum += step;
    const double mean = sum / static_cast<double>(steps.size()), frame = median(frames);
    const bool is_far = median(steps) > kApart * frame && mean > kApart * frame;
    if (!is_far && mean * kApart >= frame) return;
    if (median(steps) >= kLineASecond)
      fail(fmt::format("its lines are {:.3g} s apart, but '{}' is {:.3g} ms: averages, not frames, which have no lows",
                       median(steps) / 1e9, printable(format_.frame_time.name), frame / 1e6),
           "read it as a table of readings");
    fail(fmt::format("its lines are {:.3g} ms apart by '{}', but frames take {:.3g} ms by '{}'", mean / 1e6,
                     printable(format_.time.name), frame / 1e6, printable(format_.frame_time.name)),
         "say which units the two columns have");
  }

  void check_rates(std::size_t place, const std::string& name, const std::vector<double>& lengths) const {
    const std::vector<double> periods = numbers({.unit = LogUnit::frames_per_second, .at = place});
    if (periods.size() < kLeastLines || lengths.size() < kLeastLines) return;
    const double ratio = median(lengths) / median(periods);
    if (ratio < kRatesApart && ratio * kRatesApart > 1) return;
    fail(fmt::format("'{}' says {} frames a second, but the lines {}", printable(name),
                     format_number(1e9 / median(periods), 1), format_number(1e9 / median(lengths), 1)),
         "say which unit the column of frame times or moments has; averages of seconds aren't frames");
  }

  const std::vector<std::vector<std::string>>& data_;
  const FrameLogFormat& format_;
  const FrameLogFormat& asked_;
  const std::string& where_;
};

}  // namespace

void expect_plausible(const std::vector<std::vector<std::string>>& data, const std::vector<std::string>& heading,
                      const LogPlan& plan, const FrameLogFormat& asked, const std::string& where) {
  Plausible(data, plan, asked, where).check(heading);
}

}  // namespace idlemeter::runs
