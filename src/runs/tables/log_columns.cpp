#include "runs/tables/log_columns.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <charconv>
#include <cmath>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/text.hpp"
#include "runs/tables/decimal.hpp"
#include "runs/tables/log_heading.hpp"
#include "runs/tables/log_plausible.hpp"
#include "runs/tables/log_scale.hpp"

namespace idlemeter::runs {
namespace {

using Fields = std::vector<std::string>;

constexpr char kDelimiters[] = {',', ';', '\t', '|'};
constexpr std::size_t kMostHeadingLines = 50;

[[noreturn]] void fail(const std::string& problem, const std::string& where, const std::string& fix,
                       Error::Hint hint = Error::Hint::none) {
  throw Error(Error::Code::invalid, problem, where, fix, hint);
}

Fields split_line(const std::string& line, char delimiter) {
  std::vector<std::string_view> fields;
  std::string unquoted;
  (void)fields_of(line, delimiter, fields, unquoted);
  Fields all;
  for (const std::string_view field : fields) all.emplace_back(trimmed(field));
  return all;
}

/// A number as it may stand in a log, whatever its decimal sign is.
bool is_number(std::string_view text) {
  Nanoseconds number{};
  return exact_nanoseconds(text, '.', 0, number) || exact_nanoseconds(text, ',', 0, number);
}

/// Finds the heading and the columns.
class Finder {
 public:
  Finder(const std::vector<std::string>& lines, const FrameLogFormat& asked, std::string where)
      : lines_(lines), asked_(asked), where_(std::move(where)) {}

  LogPlan find() {
    plan_.format = asked_;
    if (!find_heading() && !find_numbers()) say_what_there_is();
    for (std::size_t i = plan_.heading_lines; i < lines_.size(); ++i)
      data_.push_back(split_line(lines_[i], plan_.format.delimiter));
    read_columns();
    find_decimal_sign();
    expect_fields_that_fit();
    find_units();
    note_numbers();
    tell();
    expect_plausible(data_, fields_, plan_, asked_, where_);
    return std::move(plan_);
  }

 private:
  static constexpr LogColumn FrameLogFormat::*kColumns[] = {&FrameLogFormat::frame_time, &FrameLogFormat::time,
                                                            &FrameLogFormat::gpu_work, &FrameLogFormat::split};

  [[nodiscard]] std::vector<char> delimiters_for(const std::string& line) const {
    if (asked_.delimiter != 0) return {asked_.delimiter};
    std::vector<char> all(std::begin(kDelimiters), std::end(kDelimiters));
    std::stable_sort(all.begin(), all.end(), [&](char a, char b) {
      return std::count(line.begin(), line.end(), a) > std::count(line.begin(), line.end(), b);
    });
    return all;
  }

  static std::optional<std::size_t> number_of(const std::string& name) {
    std::size_t number = 0;
    const auto read = std::from_chars(name.data(), name.data() + name.size(), number);
    return read.ec == std::errc() && read.ptr == name.data() + name.size() && number > 0 ? std::optional(number - 1)
                                                                                         : std::nullopt;
  }

  static std::optional<std::size_t> place_of(const Fields& fields, const std::string& name) {
    const std::string wanted = lower_case(name);
    for (std::size_t i = 0; i < fields.size(); ++i) {
      if (lower_case(fields[i]) == wanted) return i;
    }
    for (std::size_t i = 0; i < fields.size(); ++i) {
      if (!fields[i].empty() && read_heading(fields[i]).core == read_heading(name).core) return i;
    }
    const auto number = number_of(name);
    return number && *number < fields.size() ? number : std::nullopt;
  }

  /// Whether a line can be the heading: it has all columns that were asked for by name, or one that is known.
  bool takes_heading(const Fields& fields) const {
    if (fields.empty()) return false;  // a quote that isn't closed
    const bool all_numbers = std::all_of(fields.begin(), fields.end(), [](const auto& f) { return is_number(f); });
    if (all_numbers) return false;
    bool any = false;
    for (const auto column : kColumns) {
      const LogColumn& asked = asked_.*column;
      if (asked.name.empty()) continue;
      if (!place_of(fields, asked.name)) return false;
      any = any || !number_of(asked.name);
    }
    return any || std::any_of(fields.begin(), fields.end(), [](const std::string& field) {
             const Role role = role_of(read_heading(field));
             return role == Role::frame_time || role == Role::maybe_frame_time || role == Role::time;
           });
  }

  bool find_heading() {
    for (std::size_t i = 0; i < std::min(lines_.size(), kMostHeadingLines); ++i) {
      for (const char delimiter : delimiters_for(lines_[i])) {
        fields_ = split_line(lines_[i], delimiter);
        if (!takes_heading(fields_)) continue;
        plan_.format.delimiter = delimiter;
        plan_.heading_lines = i + 1;
        return true;
      }
    }
    return false;
  }

  /// A table of one column, or one whose columns were asked for by number: it begins where these are numbers. The line
  /// above may be a heading.
  bool find_numbers() {
    std::vector<std::size_t> wanted;
    for (const auto column : kColumns) {
      const std::string& name = (asked_.*column).name;
      if (name.empty()) continue;
      const auto number = number_of(name);
      if (!number) return false;
      if (column != &FrameLogFormat::split) wanted.push_back(*number);
    }
    for (std::size_t i = 0; i < std::min(lines_.size(), kMostHeadingLines); ++i) {
      for (const char delimiter : delimiters_for(lines_[i])) {
        const Fields fields = split_line(lines_[i], delimiter);
        const bool is_alone = wanted.empty() && fields.size() == 1 && is_number(fields[0]);
        const bool has_all = !wanted.empty() && std::all_of(wanted.begin(), wanted.end(), [&](std::size_t place) {
          return place < fields.size() && is_number(fields[place]);
        });
        if (wanted.empty() && fields.size() > 1) break;  // "16,5" may be two numbers, or one
        if (!is_alone && !has_all) continue;
        plan_.format.delimiter = delimiter;
        plan_.heading_lines = i;
        fields_ = i == 0 ? Fields() : split_line(lines_[i - 1], delimiter);
        if (fields_.size() != fields.size()) fields_.assign(fields.size(), "");
        if (wanted.empty()) plan_.format.frame_time.at = 0;
        return true;
      }
    }
    return false;
  }

  /// Of the line with the most fields, which is most likely the heading.
  [[nodiscard]] std::string columns_there_are() const {
    Fields best;
    for (std::size_t i = 0; i < std::min(lines_.size(), kMostHeadingLines); ++i) {
      const Fields fields = split_line(lines_[i], delimiters_for(lines_[i]).front());
      if (fields.size() > best.size()) best = fields;
    }
    for (std::string& field : best) field = "'" + cut_to(printable(field), 40) + "'";
    const bool is_cut = best.size() > 30;
    if (is_cut) best.resize(30);
    return fmt::format("{}{}", fmt::join(best, ", "), is_cut ? ", …" : "");
  }

  [[noreturn]] void say_what_there_is() const {
    if (lines_.empty()) throw Error(Error::Code::unreadable, "has no lines", where_, "name a log of frames");
    const std::string there_are = columns_there_are();
    for (const auto column : kColumns) {
      const std::string& name = (asked_.*column).name;
      if (name.empty() || (plan_.format.*column).at) continue;
      fail(fmt::format("no line has a column '{}'", name), where_, "the columns seem to be " + there_are);
    }
    fail("no column is clearly the frame times", where_, "the columns seem to be " + there_are,
         Error::Hint::frame_time);
  }

  void guess_columns() {
    const bool guesses = asked_.frame_time.name.empty() && asked_.time.name.empty();
    if (guesses && !plan_.format.frame_time.at) {
      guess(plan_.format.frame_time, Role::frame_time);
      if (!plan_.format.frame_time.at) guess(plan_.format.frame_time, Role::maybe_frame_time);
    }
    if (asked_.time.name.empty()) guess(plan_.format.time, Role::time);
    if (asked_.gpu_work.name.empty()) guess(plan_.format.gpu_work, Role::gpu_work);
    if (asked_.split.name.empty()) guess(plan_.format.split, Role::split);
  }

  void read_columns() {
    for (const auto column : kColumns) {
      LogColumn& one = plan_.format.*column;
      if (!one.name.empty()) one.at = place_of(fields_, one.name);
    }
    guess_columns();
    if (!plan_.format.frame_time.at && !plan_.format.time.at) say_what_there_is();
    for (const auto column : kColumns) {
      LogColumn& one = plan_.format.*column;
      if (one.at) one.name = fields_[*one.at].empty() ? fmt::format("{}", *one.at + 1) : fields_[*one.at];
    }
  }

  /// The columns that nothing else has taken and whose heading fits the role.
  [[nodiscard]] std::vector<std::size_t> places_with(Role role) const {
    std::vector<std::size_t> places;
    for (std::size_t i = 0; i < fields_.size(); ++i) {
      const bool is_taken = std::any_of(std::begin(kColumns), std::end(kColumns),
                                        [&](const auto one) { return (plan_.format.*one).at == i; });
      if (!is_taken && role_of(read_heading(fields_[i])) == role) places.push_back(i);
    }
    return places;
  }

  /// Takes the only column of that role. Several are an error if frames can't be told without it.
  void guess(LogColumn& column, Role role) {
    const std::vector<std::size_t> places = places_with(role);
    const bool is_needed = role == Role::frame_time || role == Role::maybe_frame_time;
    const bool is_alone = role == Role::time && !plan_.format.frame_time.at;
    if (places.size() > 1 && (is_needed || is_alone)) {
      std::vector<std::string> names;
      for (const std::size_t place : places) names.push_back("'" + cut_to(printable(fields_[place]), 40) + "'");
      fail(fmt::format("several columns may be the {}: {}", is_alone ? "moments" : "frame times",
                       fmt::join(names, ", ")),
           where_, "the others are left out", is_alone ? Error::Hint::moments : Error::Hint::frame_time);
    }
    if (places.size() == 1) column.at = places.front();
  }

  [[nodiscard]] std::vector<std::string> values_of(const LogColumn& column) const {
    std::vector<std::string> values;
    for (const Fields& fields : data_) {
      if (*column.at < fields.size()) values.push_back(fields[*column.at]);
    }
    return values;
  }

  /// A decimal comma between commas makes two fields of a number.
  void expect_fields_that_fit() const {
    const bool has_heading = plan_.heading_lines > 0 && fields_.size() > 1;
    if (!has_heading || plan_.format.delimiter != ',') return;
    const auto has_more = [&](const Fields& fields) {
      return fields.size() > fields_.size() && !fields.back().empty();
    };
    const auto longer = static_cast<std::size_t>(std::count_if(data_.begin(), data_.end(), has_more));
    if (2 * longer <= data_.size()) return;
    const auto first = std::find_if(data_.begin(), data_.end(), has_more);
    fail(fmt::format("the line '{}' has {} fields, but the heading {}",
                     cut_to(printable(fmt::format("{}", fmt::join(*first, ","))), 60), first->size(), fields_.size()),
         where_, "write decimals with a point, put numbers in quotes, or separate fields by ';'");
  }

  /// How exactly moments and frame times are written, and whether lines begin with a number that isn't used.
  void note_numbers() {
    const auto resolution = [&](const LogColumn& column) {
      std::size_t most = 0;
      for (const std::string& value : values_of(column)) {
        const auto point = value.find(*plan_.format.decimal_comma ? ',' : '.');
        if (point != std::string::npos) most = std::max(most, value.size() - point - 1);
      }
      Nanoseconds unit{1};
      if (column.unit == LogUnit::microsecond) unit = kMicrosecond;
      if (column.unit == LogUnit::millisecond) unit = kMillisecond;
      if (column.unit == LogUnit::second) unit = kSecond;
      for (; most > 0; --most) unit /= 10;
      return unit;
    };
    if (plan_.format.frame_time.at && plan_.format.time.at)
      plan_.resolution = std::max(resolution(plan_.format.frame_time), resolution(plan_.format.time));
    const bool is_used = std::any_of(std::begin(kColumns), std::end(kColumns),
                                     [&](const auto one) { return (plan_.format.*one).at == std::size_t{0}; });
    const auto half = data_.begin() + static_cast<std::ptrdiff_t>((data_.size() + 1) / 2);  // a summary is below
    plan_.leads_with_number = !is_used && std::all_of(data_.begin(), half, [](const Fields& f) {
      return !f.empty() && is_like_a_number(f.front());
    });
  }

  void find_decimal_sign() {
    if (plan_.format.decimal_comma) return;
    std::size_t commas = 0, points = 0;
    for (const auto column : {&FrameLogFormat::frame_time, &FrameLogFormat::time}) {
      if (!(plan_.format.*column).at) continue;
      for (const std::string& value : values_of(plan_.format.*column)) {
        commas += value.find(',') != std::string::npos ? 1 : 0;
        points += value.find('.') != std::string::npos ? 1 : 0;
      }
    }
    plan_.format.decimal_comma = commas > points;
    if (commas > points) plan_.notes.emplace_back("numbers with a decimal comma");
  }

  /// The median of a column's numbers, or of the steps between them, in whatever they count.
  [[nodiscard]] std::optional<double> median_of(const LogColumn& column, bool steps) const {
    std::vector<double> numbers;
    std::optional<double> before;
    for (const std::string& value : values_of(column)) {
      const char point = *plan_.format.decimal_comma ? ',' : '.';
      Nanoseconds number{};
      double unit = 1e6;
      if (!exact_nanoseconds(value, point, 6, number)) {
        unit = 1;  // nanoseconds since 1970 have no room for millionths
        if (!exact_nanoseconds(value, point, 0, number)) continue;
      }
      const double now = static_cast<double>(number.count()) / unit;
      if (!steps || before) numbers.push_back(steps ? now - *before : now);
      before = now;
    }
    return median(numbers);
  }

  static std::optional<double> median(std::vector<double>& numbers) {
    if (numbers.empty()) return std::nullopt;
    const auto middle = numbers.begin() + static_cast<std::ptrdiff_t>(numbers.size() / 2);
    std::nth_element(numbers.begin(), middle, numbers.end());
    return *middle;
  }

  /// The unit in which a usual frame, of 1 to 250 ms, takes so much. Of these no two overlap.
  static std::optional<LogUnit> unit_for(double frame) {
    if (frame >= 0.001 && frame <= 0.25) return LogUnit::second;
    if (frame >= 1 && frame <= 250) return LogUnit::millisecond;
    if (frame >= 1e3 && frame <= 250e3) return LogUnit::microsecond;
    if (frame >= 1e6 && frame <= 250e6) return LogUnit::nanosecond;
    return std::nullopt;
  }

  void find_unit(LogColumn& column, const char* what, Error::Hint hint, bool steps) {
    if (!column.at || column.unit) return;
    column.unit = read_heading(column.name).unit;
    if (column.unit) return;
    const auto values = values_of(column);
    const auto is_clock = [](const std::string& value) { return value.find(':') != std::string::npos; };
    if (steps && std::any_of(values.begin(), values.end(), is_clock)) {
      column.unit = LogUnit::second;
      return;
    }
    const auto middle = median_of(column, steps);
    if (middle) column.unit = unit_for(*middle);
    if (!column.unit)
      fail(fmt::format("it isn't clear what unit the {} in column '{}' have", what, printable(column.name)), where_,
           "say it", hint);
  }

  void find_units() {
    find_unit(plan_.format.frame_time, "frame times", Error::Hint::frame_unit, false);
    if (plan_.format.time.at && !plan_.format.frame_time.at && plan_.format.time.unit == LogUnit::frames_per_second)
      fail("moments can't be in frames per second", where_, "say which unit they have", Error::Hint::moment_unit);
    find_unit(plan_.format.time, "moments", Error::Hint::moment_unit, true);
    find_unit(plan_.format.gpu_work, "GPU times", Error::Hint::gpu_work_unit, false);
  }

  void tell() {
    const auto note = [&](const LogColumn& column, const char* what) {
      if (!column.at) return;
      plan_.notes.push_back(fmt::format("{} from column '{}'{}", what, column.name,
                                        column.unit ? fmt::format(", in {}", name_of(*column.unit)) : ""));
    };
    note(plan_.format.frame_time, "frame times");
    note(plan_.format.time, "moments");
    note(plan_.format.gpu_work, "GPU times");
    if (plan_.format.frame_time.unit == LogUnit::frames_per_second && !plan_.format.time.at)
      plan_.notes.emplace_back(
          "each line counts as a frame, for no moments say otherwise: averages of seconds have no lows");
    if (plan_.format.split.at)
      plan_.notes.push_back(fmt::format("a run for each value of column '{}'", plan_.format.split.name));
  }

  const std::vector<std::string>& lines_;
  const FrameLogFormat& asked_;
  std::string where_;
  LogPlan plan_;
  Fields fields_;             // of the heading
  std::vector<Fields> data_;  // of the lines below it
};

}  // namespace

LogPlan plan_of(const std::vector<std::string>& lines, const FrameLogFormat& asked, const std::string& where) {
  return Finder(lines, asked, where).find();
}

}  // namespace idlemeter::runs
