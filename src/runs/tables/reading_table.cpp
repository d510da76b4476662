#include "idlemeter/runs/reading_table.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <cmath>
#include <limits>
#include <optional>
#include <set>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/readings/units.hpp"
#include "runs/tables/decimal.hpp"
#include "runs/tables/log_columns.hpp"
#include "runs/tables/text_lines.hpp"

namespace idlemeter {
namespace {

using runs::TextLines;

constexpr std::size_t kSample = 50, kMostColumns = 2'000;

[[noreturn]] void fail(const std::string& problem, const std::string& where, const std::string& fix,
                       Error::Hint hint = Error::Hint::none) {
  throw Error(Error::Code::invalid, problem, where, fix, hint);
}

/// "GPU power (W)" -> "GPU power", "W"
std::pair<std::string, std::string> split_heading(std::string text) {
  const auto without_end = [&](std::size_t from) {
    return std::string(runs::trimmed(std::string_view(text).substr(0, from)));
  };
  for (const auto& [open, close] : {std::pair('(', ')'), std::pair('[', ']')}) {
    const std::size_t at = text.rfind(open);
    if (text.ends_with(close) && at != std::string::npos && at > 0)
      return {without_end(at), text.substr(at + 1, text.size() - at - 2)};
  }
  const std::size_t comma = text.rfind(", ");
  if (comma != std::string::npos && comma > 0) return {without_end(comma), text.substr(comma + 2)};
  return {text, ""};
}

std::optional<double> number_in(std::string_view field, bool comma) {
  std::string copy(field);
  if (comma) {
    if (copy.find('.') != std::string::npos) return std::nullopt;
    std::replace(copy.begin(), copy.end(), ',', '.');
  }
  const char* begin = copy.data() + (copy.starts_with('+') ? 1 : 0);
  double number = 0;
  const auto read = std::from_chars(begin, copy.data() + copy.size(), number);
  if (read.ec != std::errc() || read.ptr != copy.data() + copy.size() || !std::isfinite(number)) return std::nullopt;
  return number;
}

class TableReader {
 public:
  TableReader(TextLines& lines, const std::string& where, const ReadingTableFormat& format)
      : lines_(lines), where_(where), format_(format) {}

  ReadingTable read() {
    std::vector<std::string> sample;
    while (sample.size() < kSample) {
      const auto line = next();
      if (!line) break;
      sample.emplace_back(*line);
    }
    if (sample.size() < 2)
      fail("there is no table in it", where_, "name one with a heading and a line for each moment");
    plan(sample);
    for (std::size_t i = 1; i < sample.size(); ++i) take(sample[i]);
    while (const auto line = next()) take(*line);
    finish();
    return std::move(table_);
  }

 private:
  std::optional<std::string_view> next() {
    while (auto line = lines_.next()) {
      const std::string_view text = runs::trimmed(*line);
      if (!text.empty() && text.front() != '#') return *line;
    }
    return std::nullopt;
  }

  /// The delimiter that makes the most columns of the heading, and as many of the line below it: "GPU power, W" has a
  /// comma too. A comma if none does.
  void find_delimiter(const std::vector<std::string>& sample) {
    delimiter_ = format_.delimiter;
    std::size_t most = 1;
    for (const char candidate : {',', ';', '\t', '|'}) {
      if (format_.delimiter != 0) break;
      split(sample.front(), candidate);
      const std::size_t count = fields_.size();
      split(sample[1], candidate);
      if (count <= most || (fields_.size() != count && delimiter_ != 0)) continue;
      most = count;
      delimiter_ = candidate;
    }
    if (delimiter_ == 0) delimiter_ = ',';
  }

  void plan(const std::vector<std::string>& sample) {
    find_delimiter(sample);
    decimal_comma_ = format_.decimal_comma.value_or(has_decimal_commas(sample));
    split(sample.front(), delimiter_);
    if (fields_.size() > kMostColumns)
      fail(fmt::format("it has more than {} columns", kMostColumns), where_, "leave some out");
    const std::vector<std::string> headings(fields_.begin(), fields_.end());
    find_time(headings);
    make_series(headings);
  }

  /// A series for each column, under names that differ.
  void make_series(const std::vector<std::string>& headings) {
    std::set<std::string> taken;
    for (std::size_t i = 0; i < headings.size(); ++i) {
      auto [name, unit] = split_heading(printable(headings[i]));
      if (name.empty()) name = fmt::format("column {}", i + 1);
      const auto known = unit_from(unit);
      if (!known && !unit.empty()) name = printable(headings[i]);
      while (!taken.insert(name).second) name += " again";
      table_.series.push_back({.info = {.id = name,
                                        .title = name,
                                        .device = "Table",
                                        .kind = DeviceKind::own,
                                        .unit = known.value_or(Unit::none)},
                               .at = {},
                               .values = {}});
    }
  }

  /// Where delimiters leave them free, and no number has a point.
  bool has_decimal_commas(const std::vector<std::string>& sample) {
    if (delimiter_ == ',') return false;
    std::size_t commas = 0;
    for (std::size_t line = 1; line < sample.size(); ++line) {
      split(sample[line], delimiter_);
      for (const std::string_view field : fields_) {
        const bool with_point = number_in(field, false) && field.find('.') != std::string_view::npos;
        if (with_point) return false;
        commas += !number_in(field, false) && number_in(field, true) ? 1 : 0;
      }
    }
    return commas > 0;
  }

  void find_time(const std::vector<std::string>& headings) {
    if (format_.every > Nanoseconds{}) return;
    constexpr std::string_view kNames[] = {"time",    "at",   "timestamp",        "elapsed",     "t",
                                           "seconds", "date", "time since start", "elapsed time"};
    std::vector<std::string> names;
    for (std::size_t i = 0; i < headings.size(); ++i) {
      const auto [name, unit] = split_heading(headings[i]);
      names.push_back(name);
      const std::string low = lower_case(name);
      const bool asked = !format_.time.name.empty() &&
                         (low == lower_case(format_.time.name) || std::to_string(i + 1) == format_.time.name);
      const bool guessed =
          format_.time.name.empty() && std::find(std::begin(kNames), std::end(kNames), low) != std::end(kNames);
      if (time_ || !(asked || guessed)) continue;
      time_ = i;
      time_unit_ = format_.time.unit ? format_.time.unit : log_unit_from(unit);
      if (low == "seconds") time_unit_ = LogUnit::second;
      if (guessed) table_.notes.push_back(fmt::format("moments from '{}'", printable(headings[i])));
    }
    if (time_unit_ == LogUnit::frames_per_second) time_unit_.reset();
    if (!time_) throw_without_time(names);
  }

  [[noreturn]] void throw_without_time(const std::vector<std::string>& names) const {
    const std::vector<std::string_view> all(names.begin(), names.end());
    if (!format_.time.name.empty())
      fail(fmt::format("it has no column '{}'{}", format_.time.name, did_you_mean(format_.time.name, all)), where_,
           fmt::format("there are: {}", printable(fmt::format("{}", fmt::join(names, ", ")))));
    fail("no column says when a line's values were taken", where_,
         fmt::format("there are: {}", printable(fmt::format("{}", fmt::join(names, ", ")))), Error::Hint::table_time);
  }

  void split(std::string_view line, char delimiter) {
    closed_ = runs::fields_of(line, delimiter, fields_, unquoted_);
    for (std::string_view& field : fields_) field = runs::trimmed(field);
  }

  /// A number without a unit counts seconds, or of a date what fits: since 1970 in seconds, ms, µs or ns.
  /// By its size, as a moment since 1970; seconds if it is smaller.
  static LogUnit unit_of_moment(double number) {
    if (number >= 1e17) return LogUnit::nanosecond;
    if (number >= 1e14) return LogUnit::microsecond;
    return number >= 1e11 ? LogUnit::millisecond : LogUnit::second;
  }

  /// The power of ten that makes nanoseconds of it.
  static int scale_of(LogUnit unit) {
    if (unit == LogUnit::second) return 9;
    if (unit == LogUnit::millisecond) return 6;
    return unit == LogUnit::microsecond ? 3 : 0;
  }

  std::optional<Nanoseconds> moment_in(std::string_view field) {
    const char point = decimal_comma_ ? ',' : '.';
    Nanoseconds time{};
    if (const auto date = runs::date_nanoseconds(field, point)) return date;
    if (field.find(':') != std::string_view::npos)
      return runs::clock_nanoseconds(field, point, time) ? std::optional(time) : std::nullopt;
    if (!time_unit_) {
      const auto number = number_in(field, decimal_comma_);
      if (!number) return std::nullopt;
      time_unit_ = unit_of_moment(*number);
      table_.notes.push_back(fmt::format("moments in {}", name_of(*time_unit_)));
    }
    return runs::exact_nanoseconds(field, point, scale_of(*time_unit_), time) ? std::optional(time) : std::nullopt;
  }

  std::optional<Moment> moment_of_line() {
    const auto before = static_cast<std::int64_t>(table_.lines - 1);
    if (!time_)
      return before <= kLongestTime / format_.every ? std::optional(Moment{format_.every * before}) : std::nullopt;
    if (*time_ >= fields_.size()) return std::nullopt;
    const auto time = moment_in(fields_[*time_]);
    if (!time) return std::nullopt;
    if (!begin_) begin_ = *time;
    return Moment{*time - *begin_};
  }

  void take(std::string_view line) {
    split(line, delimiter_);
    ++table_.lines;
    const auto at = moment_of_line();
    if (!closed_ || !at || *at < Moment{table_.length} || *at > kLatestMoment) {
      ++table_.broken;
      return;
    }
    table_.length = at->time_since_epoch();
    for (std::size_t i = 0; i < std::min(fields_.size(), table_.series.size()); ++i) {
      if (fields_[i].empty() || i == time_) continue;
      RunSeries& one = table_.series[i];
      const auto number = number_in(fields_[i], decimal_comma_);
      if (one.at.empty()) one.info.text = !number;
      if (one.info.text) {
        add_text(one, *at, printable(fields_[i]));
      } else if (number) {
        one.at.push_back(*at);
        one.values.emplace_back(*number);
      }
    }
  }

  /// Unless it is that of the line before.
  static void add_text(RunSeries& series, Moment at, std::string text) {
    const auto* last = series.values.empty() ? nullptr : std::get_if<std::string>(&series.values.back());
    if (last != nullptr && *last == text) return;
    series.at.push_back(at);
    series.values.emplace_back(std::move(text));
  }

  void finish() {
    std::erase_if(table_.series, [](const RunSeries& one) { return one.at.empty(); });
    if (table_.series.empty())
      fail("no line of it could be read", where_, "say which column is its time, and what separates columns",
           Error::Hint::table_format);
  }

  TextLines& lines_;
  std::string where_;
  ReadingTableFormat format_;
  ReadingTable table_;
  char delimiter_ = 0;
  bool decimal_comma_ = false, closed_ = true;
  std::optional<std::size_t> time_;
  std::optional<LogUnit> time_unit_;
  std::optional<Nanoseconds> begin_;
  std::vector<std::string_view> fields_;
  std::string unquoted_;
};

}  // namespace

ReadingTable load_reading_table(const std::filesystem::path& file, const ReadingTableFormat& format) {
  const int opened = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NOCTTY | O_NONBLOCK);  // a pipe isn't waited for
  if (opened < 0)
    throw Error(errno == ENOENT ? Error::Code::not_found : Error::Code::unreadable,
                fmt::format("cannot read it ({})", ::strerror(errno)), file.string(), "name a table of readings");
  struct Closed {
    int fd;
    ~Closed() { ::close(fd); }
  } closed{opened};
  struct stat about {};
  if (::fstat(opened, &about) != 0 || !S_ISREG(about.st_mode))
    throw Error(Error::Code::unreadable, "is not a regular file", file.string(), "name a table of readings");
  TextLines lines(opened, file.string());
  return TableReader(lines, file.string(), format).read();
}

ReadingTable parse_reading_table(std::string_view bytes, const std::string& where, const ReadingTableFormat& format) {
  TextLines lines(bytes, where);
  return TableReader(lines, where, format).read();
}

}  // namespace idlemeter
