// Frame logs: tables of text, read line by line.
#include "idlemeter/runs/frame_log.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <new>
#include <system_error>
#include <unordered_map>

#include "base/enum_names.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "runs/tables/log_columns.hpp"
#include "runs/tables/log_scale.hpp"
#include "runs/tables/text_lines.hpp"

namespace idlemeter {
namespace {

using namespace base;
using namespace runs;

constexpr std::size_t kSampleLines = 250, kSampleBytes = 4 * 1024 * 1024;
constexpr std::size_t kMostExpected = 50'000'000;  // frames that room is made for before they are read
constexpr std::size_t kBrokenShown = 5, kMostRuns = 1'000;
constexpr Nanoseconds kHalfADay = std::chrono::hours(12);
constexpr Nanoseconds kMostRounding = kMillisecond;
constexpr Nanoseconds kLatestBegin = std::chrono::minutes(1);

constexpr Word<LogUnit> kUnitNames[] = {{"ns", LogUnit::nanosecond},
                                        {"us", LogUnit::microsecond},
                                        {"ms", LogUnit::millisecond},
                                        {"s", LogUnit::second},
                                        {"fps", LogUnit::frames_per_second}};
constexpr Word<LogUnit> kOtherUnitNames[] = {
    {"nsec", LogUnit::nanosecond},  {"nanoseconds", LogUnit::nanosecond},   {"µs", LogUnit::microsecond},
    {"μs", LogUnit::microsecond},   {"usec", LogUnit::microsecond},         {"microseconds", LogUnit::microsecond},
    {"msec", LogUnit::millisecond}, {"milliseconds", LogUnit::millisecond}, {"sec", LogUnit::second},
    {"seconds", LogUnit::second},   {"hz", LogUnit::frames_per_second}};

bool is_to_skip(std::string_view line) {
  return line.empty() || line.front() == '#' ||
         (is_blank(line.front()) && std::all_of(line.begin(), line.end(), [](char c) { return is_blank(c); }));
}

/// Turns lines into frames.
class Frames {
 public:
  /// `expected`: about how many frames there are.
  Frames(FrameLog& log, const LogPlan& plan, std::size_t expected, const std::string& where)
      : log_(log),
        where_(where),
        expected_(expected),
        format_(plan.format),
        point_(format_.decimal_comma.value_or(false) ? ',' : '.'),
        frame_scale_(format_.frame_time.unit),
        time_scale_(format_.time.unit),
        work_scale_(format_.gpu_work.unit),
        rounding_(plan.resolution > Nanoseconds{1} ? std::min(kMostRounding, 100 * plan.resolution) : Nanoseconds{}) {
    leads_with_number_ = plan.leads_with_number;
    for (const LogColumn* column : {&format_.frame_time, &format_.time, &format_.gpu_work, &format_.split}) {
      if (column->at) needed_ = std::max(needed_, *column->at + 1);
    }
    fields_.reserve(needed_);
  }

  void take(std::string_view line, std::uint64_t number) {
    if (is_to_skip(line)) return;
    ++log_.lines;
    if (!find_fields(line)) return broken(number, "a quote that isn't closed");
    if (leads_with_number_ && !is_like_a_number(fields_.front()))
      return broken(number, fmt::format("'{}' isn't a number, as the lines above begin with",
                                        cut_to(printable(fields_.front()), 40)));
    std::string why;
    Run* const run = run_of(trimmed(field(format_.split)), why);
    if (run == nullptr) return broken(number, std::move(why));
    Times times;
    if (!read_interval(*run, number, times) || !read_moment(*run, number, times)) return;
    if (times.at > kLongestTime || times.interval > kLongestTime) {
      const LogColumn& column = format_.time.at ? format_.time : format_.frame_time;
      (void)fails(*run, number, field(column), column, "is over a hundred years");
      return;
    }
    run->last = std::max(run->last, times.stamped);
    run->end = times.at;
    run->begun = run->any = true;
    if (times.has_interval) keep(*run, times);  // else its beginning isn't known
  }

  /// Frames count from the beginning of their run.
  void finish() {
    for (LoggedFrames& run : log_.runs) {
      if (run.frames.empty()) continue;
      const Nanoseconds first = run.frames.front().at.time_since_epoch();
      if (first >= Nanoseconds{} && first <= kLatestBegin) continue;
      const Nanoseconds begin = first - run.frames.front().interval;
      for (FrameRecord& frame : run.frames) frame.at -= begin;
    }
    std::erase_if(log_.runs, [](const LoggedFrames& run) { return run.frames.empty(); });
  }

 private:
  struct Run {
    std::size_t place = 0;    ///< in log_.runs
    Nanoseconds last{};       ///< moment as it was written, or sum of its frames
    Nanoseconds end{};        ///< of its last frame
    Nanoseconds midnights{};  ///< that its clock passed, as days
    bool any = false;         ///< whether a line of it was read
    bool begun = false;       ///< whether that was the line above, so that the next frame begins at `last`
  };

  /// What one line says of its frame.
  struct Times {
    Nanoseconds interval{}, at{};
    Nanoseconds stamped{};  ///< the moment as it was written
    bool has_interval = false;
  };

  [[nodiscard]] std::string_view field(const LogColumn& column) const {
    return column.at && *column.at < fields_.size() ? fields_[*column.at] : std::string_view();
  }

  /// False if the line is broken.
  bool read_interval(Run& run, std::uint64_t line, Times& times) {
    times.has_interval = format_.frame_time.at.has_value();
    if (!times.has_interval) return true;
    const std::string_view text = field(format_.frame_time);
    if (!frame_scale_.read(text, point_, times.interval)) return fails(run, line, text, format_.frame_time);
    return times.interval > Nanoseconds{} || fails(run, line, text, format_.frame_time, "isn't above 0");
  }

  /// The moment by the clock or as the sum of the frames, and the interval if only moments are written. False if the
  /// line is broken.
  bool read_moment(Run& run, std::uint64_t line, Times& times) {
    if (!format_.time.at) {
      times.stamped = times.at = run.last + times.interval;
      return true;
    }
    const std::string_view text = field(format_.time);
    Nanoseconds& at = times.at;
    if (!time_scale_.read(text, point_, at)) return fails(run, line, text, format_.time);
    if (run.any && at + run.midnights + kHalfADay < run.last && is_clock(text)) run.midnights += 2 * kHalfADay;
    times.stamped = at += run.midnights;
    if (run.any && at < run.last) return fails(run, line, text, format_.time, "is before the line above");
    if (!times.has_interval && run.begun) {
      if (at == run.last) return fails(run, line, text, format_.time, "is that of the line above");
      times.interval = at - run.last;
      times.has_interval = true;
    }
    // Moments that are rounded: the frame begins where the one before ended, or at least not before.
    if (times.has_interval && run.any)
      at = std::chrono::abs(run.end + times.interval - at) < rounding_ ? run.end + times.interval
                                                                       : std::max(at, run.end);
    return true;
  }

  void keep(const Run& run, const Times& times) {
    if (++count_ > limits::kFramesOfRun)
      throw Error(Error::Code::unreadable, fmt::format("has more than {} frames", limits::kFramesOfRun), where_,
                  "split it into several files");
    Nanoseconds work{};
    const bool has_work =
        format_.gpu_work.at && work_scale_.read(field(format_.gpu_work), point_, work) && work > Nanoseconds{};
    log_.runs[run.place].frames.push_back({Moment{times.at}, times.interval, has_work ? work : kUnknownTime});
  }

  /// As far as they are needed.
  bool find_fields(std::string_view line) {
    fields_.clear();
    const char *at = line.data(), *const end = at + line.size();
    while (fields_.size() < needed_) {
      if (at != end && *at == '"') return fields_of(line, format_.delimiter, fields_, unquoted_);
      const auto* stop =
          static_cast<const char*>(std::memchr(at, format_.delimiter, static_cast<std::size_t>(end - at)));
      fields_.emplace_back(at, static_cast<std::size_t>((stop == nullptr ? end : stop) - at));
      if (stop == nullptr) break;
      at = stop + 1;
    }
    return true;
  }

  Run* run_of(std::string_view name, std::string& why) {
    if (current_ != nullptr && name == current_name_) return current_;
    const auto found = runs_.find(std::string(name));
    if (found == runs_.end() && runs_.size() >= kMostRuns) {
      why = fmt::format("more than {} runs by column '{}'", kMostRuns, printable(format_.split.name));
      return nullptr;
    }
    current_ = found == runs_.end() ? add_run(name) : &found->second;
    current_name_ = name;
    return current_;
  }

  Run* add_run(std::string_view name) {
    log_.runs.push_back({printable(name), {}});
    if (!format_.split.at) log_.runs.back().frames.reserve(expected_);
    return &runs_.emplace(std::string(name), Run{log_.runs.size() - 1}).first->second;
  }

  void broken(std::uint64_t line, std::string why) {
    ++log_.broken;
    if (log_.first_broken.size() < kBrokenShown) log_.first_broken.push_back({line, std::move(why)});
  }

  /// Counts the line as broken, and is false.
  bool fails(Run& run, std::uint64_t line, std::string_view value, const LogColumn& column, const char* why = nullptr) {
    value = trimmed(value);
    if (!format_.frame_time.at) run.begun = false;  // the next frame's beginning isn't known
    if (why == nullptr) why = value.empty() ? "is empty" : "isn't a number";
    broken(line, log_.first_broken.size() >= kBrokenShown ? std::string()
                 : value.empty()
                     ? fmt::format("'{}' {}", printable(column.name), why)
                     : fmt::format("'{}' in '{}' {}", cut_to(printable(value), 40), printable(column.name), why));
    return false;
  }

  FrameLog& log_;
  const std::string& where_;
  std::size_t count_ = 0;
  std::size_t expected_;
  const FrameLogFormat& format_;
  char point_;
  Scale frame_scale_, time_scale_, work_scale_;
  Nanoseconds rounding_;  ///< a moment may be off by that
  std::size_t needed_ = 0;
  bool leads_with_number_;
  std::vector<std::string_view> fields_;
  std::string unquoted_;
  std::unordered_map<std::string, Run> runs_;
  Run* current_ = nullptr;
  std::string current_name_;
};

[[noreturn]] void throw_without_frames(const FrameLog& log, const std::string& where) {
  const BrokenLine first = log.first_broken.empty() ? BrokenLine{} : log.first_broken.front();
  throw Error(Error::Code::invalid,
              log.broken == 0
                  ? "has no frames"
                  : fmt::format("none of its {} lines is a frame: line {}: {}", log.lines, first.line, first.why),
              where, "name the columns and units as they are in it");
}

FrameLog read(TextLines& lines, const std::string& where, const FrameLogFormat& asked) {
  std::vector<std::string> sample;
  std::vector<std::uint64_t> numbers;
  std::size_t bytes = 0;
  for (; sample.size() < kSampleLines && bytes < kSampleBytes;) {
    const auto line = lines.next();
    if (!line) break;
    if (is_to_skip(*line)) continue;
    sample.emplace_back(*line);
    numbers.push_back(lines.number());
    bytes += line->size();
  }
  LogPlan plan = plan_of(sample, asked, where);
  FrameLog log;
  const std::size_t most = bytes == 0 ? 0 : lines.size() * sample.size() / bytes;
  Frames frames(log, plan, std::min(most, kMostExpected), where);
  for (std::size_t i = plan.heading_lines; i < sample.size(); ++i) frames.take(sample[i], numbers[i]);
  while (const auto line = lines.next()) frames.take(*line, lines.number());
  frames.finish();
  if (log.runs.empty()) throw_without_frames(log, where);
  log.format = std::move(plan.format);
  log.notes = std::move(plan.notes);
  return log;
}

}  // namespace

std::string_view name_of(LogUnit unit) { return word_of(unit, kUnitNames); }

std::optional<LogUnit> log_unit_from(std::string_view text) {
  const std::string word = lower_case(text);
  const auto unit = value_of(word, kUnitNames);
  return unit ? unit : value_of(word, kOtherUnitNames);
}

FrameLog load_frame_log(const std::filesystem::path& file, const FrameLogFormat& format) {
  const int descriptor = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NOCTTY | O_NONBLOCK);  // a pipe isn't waited for
  if (descriptor < 0)
    throw Error(errno == ENOENT ? Error::Code::not_found : Error::Code::unreadable,
                fmt::format("cannot be read ({})", std::generic_category().message(errno)), file.string(),
                "name a log of frames");
  struct Closing {
    int descriptor;
    ~Closing() { ::close(descriptor); }
  } const closing{descriptor};
  struct stat about {};
  if (::fstat(descriptor, &about) == 0 && !S_ISREG(about.st_mode))
    throw Error(Error::Code::unreadable, S_ISDIR(about.st_mode) ? "is a folder" : "is not a regular file",
                file.string(), "name a log of frames, or hand it in through the standard input");
  return load_frame_log(descriptor, file.string(), format);
}

FrameLog load_frame_log(int descriptor, const std::string& where, const FrameLogFormat& format) {
  try {
    TextLines lines(descriptor, where);
    return read(lines, where, format);
  } catch (const std::bad_alloc&) {
    throw Error(Error::Code::unreadable, "takes more memory than there is", where, "split it into several files");
  }
}

FrameLog parse_frame_log(std::string_view bytes, const std::string& where, const FrameLogFormat& format) {
  TextLines lines(bytes, where);
  return read(lines, where, format);
}

}  // namespace idlemeter
