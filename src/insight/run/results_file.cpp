#include "idlemeter/insight/results_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <poll.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include "base/csv.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

using namespace base;

std::string on_one_line(std::string text) {
  std::replace_if(
      text.begin(), text.end(), [](char c) { return static_cast<unsigned char>(c) < 0x20; }, ' ');
  return text;
}

template <typename Number>
std::string number_field(const std::optional<Number>& value, int digits) {
  return value ? fmt::format("{:.{}f}", static_cast<double>(*value), digits) : "";
}

std::string mean_field(const RunInsight& run, std::string_view id) {
  const ReadingInsight* reading = run.reading(id);
  return reading == nullptr ? "" : fmt::format("{:.1f}", reading->all.mean);
}

std::string low_field(const Summary& summary, Share share) {
  const Low* low = summary.low(share);
  return low == nullptr || !low->enough_frames ? "" : fmt::format("{:.2f}", low->rate);
}

using Columns = std::vector<std::pair<std::string, std::string>>;  // headings as CSV fields, and texts

/// What is written unless a set was chosen.
Columns usual_figures(const RunInsight& run) {
  const Summary& s = run.summary;
  return {{"average (FPS)", number_field(s.average_rate, 2)},
          {"1% low (FPS; mean of the slowest)", low_field(s, Share::percent(1))},
          {"0.1% low (FPS; mean of the slowest)", low_field(s, Share::percent(0.1))},
          {"median (ms)", s.median ? fmt::format("{:.3f}", *s.median / 1e6) : ""},
          {"longest (ms)", s.longest ? fmt::format("{:.3f}", in_milliseconds(*s.longest)) : ""},
          {"stutters", fmt::format("{}", run.stutters.frames.size())},
          {"time lost (s)", fmt::format("{:.3f}", in_seconds(run.stutters.lost))},
          {"limited by", std::string(name_of(run.limits.main()))},
          {"GPU (°C)", mean_field(run, "gpu.temp")},
          {"GPU power (W)", mean_field(run, "gpu.power")},
          {"processor (°C)", mean_field(run, "cpu.temp")},
          {"processor power (W)", mean_field(run, "cpu.power")}};
}

Columns chosen_figures(const std::vector<RunFigure>& figures) {
  Columns columns;
  for (const RunFigure& figure : figures) {
    const std::string_view unit = symbol(figure.info.unit);
    const bool is_known = figure.value && !figure.is_uncertain;
    columns.emplace_back(csv_field(on_one_line(figure.info.id + (unit.empty() ? "" : fmt::format(" ({})", unit)))),
                         is_known ? fmt::format("{:.{}f}", *figure.value, digits_of(figure.info) == 0 ? 0 : 3) : "");
  }
  return columns;
}

std::string joined(const std::vector<std::string>& parts) { return fmt::format("{}", fmt::join(parts, "; ")); }

Columns columns_of(const RunInsight& run, Columns figures) {
  std::vector<std::string> settings, doubts;
  for (const auto& [name, value] : run.info.details.settings) settings.push_back(name + "=" + value);
  for (const Doubt& doubt : run.doubts) doubts.emplace_back(name_of(doubt.rule));
  Columns columns = {{"run", fmt::format("{}", run.info.id)},
                     {"game", run.info.details.game},
                     {"started (UTC)", run.info.started},
                     {"length (s)", fmt::format("{:.3f}", in_seconds(run.info.length))},
                     {"frames", fmt::format("{}", run.summary.frames)}};
  columns.insert(columns.end(), figures.begin(), figures.end());
  columns.insert(columns.end(), {{"settings", joined(settings)},
                                 {"tags", joined(run.info.details.tags)},
                                 {"note", run.info.details.note},
                                 {"doubts", joined(doubts)}});
  return columns;
}

/// The headings and the fields, each as a line with its end.
std::pair<std::string, std::string> rows_of(const Columns& columns) {
  std::string heading, line;
  CsvWriter headings(heading), fields(line);
  for (const auto& [name, value] : columns) {
    headings.raw(name);
    fields.text(on_one_line(value));
  }
  headings.end_line();
  fields.end_line();
  return {heading, line};
}

/// A heading without its units: a run that lacks a reading doesn't know the reading's.
std::string without_units(const std::string& heading) {
  std::string names;
  int depth = 0;
  for (const char c : heading) {
    depth += c == '(' ? 1 : 0;
    if (depth == 0 && static_cast<unsigned char>(c) > ' ') names += c;
    depth -= c == ')' ? 1 : 0;
  }
  return names;
}

/// A file that lines are added to, locked against others that do the same. Never waits for a pipe, nor for long for a
/// lock.
class Appending {
 public:
  explicit Appending(const std::filesystem::path& file)
      : file_(file), fd_(::open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NONBLOCK | O_NOCTTY, 0644)) {
    struct stat about {};
    if (fd_ < 0) fail(errno);
    (void)::fstat(fd_, &about);
    if (!S_ISREG(about.st_mode)) {
      ::close(fd_);
      throw Error(Error::Code::unwritable, "is not a regular file: the results of runs can't be added to it",
                  file_.string(), "name a file for them");
    }
    lock();
    size_ = std::max<off_t>(0, ::lseek(fd_, 0, SEEK_END));
  }
  Appending(const Appending&) = delete;
  Appending& operator=(const Appending&) = delete;
  ~Appending() { ::close(fd_); }

  /// The first line, without its end; empty of an empty file.
  [[nodiscard]] std::string first_line() const {
    std::string begin(kLongestHeading, '\0');
    const ssize_t got = ::pread(fd_, begin.data(), begin.size(), 0);
    begin.resize(static_cast<std::size_t>(std::max<ssize_t>(0, got)));
    std::string line = begin.substr(0, begin.find('\n'));
    if (line.ends_with('\r')) line.pop_back();
    return line.starts_with("\xef\xbb\xbf") ? line.substr(3) : line;
  }

  /// Adds a text whole or not at all, on a line of its own.
  void write(std::string text) const {
    char last = '\n';
    if (size_ > 0 && ::pread(fd_, &last, 1, size_ - 1) == 1 && last != '\n') text.insert(0, "\r\n");
    const ssize_t written = ::pwrite(fd_, text.data(), text.size(), size_);
    if (written == static_cast<ssize_t>(text.size()) && ::fdatasync(fd_) == 0) return;
    const bool is_cut = written >= 0 && written < static_cast<ssize_t>(text.size());  // only a full disk does that
    const int why = is_cut ? ENOSPC : errno;
    (void)!::ftruncate(fd_, size_);
    fail(why);
  }

 private:
  static constexpr std::size_t kLongestHeading = 64 * 1024;

  void lock() const {
    constexpr int kTries = 400, kEvery = 5;  // ms: two seconds
    for (int i = 0; ::flock(fd_, LOCK_EX | LOCK_NB) != 0; ++i) {
      if (errno == EWOULDBLOCK && i < kTries) {
        ::poll(nullptr, 0, kEvery);
        continue;
      }
      ::close(fd_);
      throw Error(Error::Code::in_use, "another program has the results file locked, so that nothing was added to it",
                  file_.string(), "the run itself is kept");
    }
  }

  [[noreturn]] void fail(int why) const {
    throw Error(Error::Code::unwritable, fmt::format("the results can't be written: {}", ::strerror(why)),
                file_.string(), why == ENOSPC ? "make room; the run itself is kept" : "name another file for them");
  }

  std::filesystem::path file_;
  int fd_;
  off_t size_ = 0;
};

}  // namespace

void append_result(const std::filesystem::path& file, const RunInsight& run, const FigureSet* figures) {
  const auto [heading, line] =
      rows_of(columns_of(run, figures ? chosen_figures(figures->of(run)) : usual_figures(run)));
  if (file.has_parent_path()) {
    std::error_code failed;
    std::filesystem::create_directories(file.parent_path(), failed);
  }
  const Appending to(file);
  const std::string there = to.first_line();
  if (!there.empty() && without_units(there) != without_units(heading))
    throw Error(Error::Code::invalid, "has other columns than these results: nothing was added", file.string(),
                "name another file for them, or move this one away");
  to.write((there.empty() ? "\xef\xbb\xbf" + heading : "") + line);
}

std::string results_csv(const std::vector<RunInsight>& runs, const FigureSet* figures) {
  const auto chosen = figures ? figures->of(runs) : std::vector<std::vector<RunFigure>>();
  std::string csv;
  for (std::size_t i = 0; i < runs.size(); ++i) {
    const auto [heading, line] =
        rows_of(columns_of(runs[i], figures ? chosen_figures(chosen[i]) : usual_figures(runs[i])));
    csv += (i == 0 ? heading : "") + line;
  }
  return csv;
}

}  // namespace idlemeter
