#include "idlemeter/insight/results_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <string.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <fstream>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter {
namespace {

constexpr const char* kHeading =
    "run,game,started (UTC),length (s),frames,average (FPS),1% low (FPS; mean of the slowest),0.1% low (FPS; mean of "
    "the "
    "slowest),median (ms),longest (ms),stutters,time lost (s),limited by,GPU (°C),GPU power (W),processor "
    "(°C),processor "
    "power (W),settings,tags,note,doubts";

/// In quotes if it needs them. What a spreadsheet would take for a formula gets an apostrophe.
std::string field(std::string text) {
  std::replace_if(
      text.begin(), text.end(), [](char c) { return static_cast<unsigned char>(c) < 0x20; }, ' ');
  if (!text.empty() && std::string_view("=+-@").find(text.front()) != std::string_view::npos) text.insert(0, "'");
  if (text.find_first_of(",\"") == std::string::npos) return text;
  std::string quoted = "\"";
  for (const char c : text) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + "\"";
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

std::string line_of(const RunInsight& run) {
  const Summary& s = run.summary;
  std::vector<std::string> settings, doubts;
  for (const auto& [name, value] : run.info.details.settings) settings.push_back(name + "=" + value);
  for (const Doubt& doubt : run.doubts) doubts.push_back(doubt.rule);
  const auto joined = [](const std::vector<std::string>& parts) {
    return field(fmt::format("{}", fmt::join(parts, "; ")));
  };
  const std::vector<std::string> fields = {fmt::format("{}", run.info.id),
                                           field(run.info.details.game),
                                           field(run.info.started),
                                           fmt::format("{:.3f}", in_seconds(run.info.length)),
                                           fmt::format("{}", s.frames),
                                           number_field(s.average_rate, 2),
                                           low_field(s, Share::percent(1)),
                                           low_field(s, Share::percent(0.1)),
                                           s.median ? fmt::format("{:.3f}", *s.median / 1e6) : "",
                                           s.longest ? fmt::format("{:.3f}", in_milliseconds(*s.longest)) : "",
                                           fmt::format("{}", run.stutters.frames.size()),
                                           fmt::format("{:.3f}", in_seconds(run.stutters.lost)),
                                           field(std::string(name_of(run.limits.main()))),
                                           mean_field(run, "gpu.temp"),
                                           mean_field(run, "gpu.power"),
                                           mean_field(run, "cpu.temp"),
                                           mean_field(run, "cpu.power"),
                                           joined(settings),
                                           joined(run.info.details.tags),
                                           field(run.info.details.note),
                                           joined(doubts)};
  return fmt::format("{}\r\n", fmt::join(fields, ","));
}

/// A descriptor that closes, locked against others that append.
class Appending {
 public:
  explicit Appending(const std::filesystem::path& file)
      : file_(file), fd_(::open(file.c_str(), O_RDWR | O_APPEND | O_CREAT | O_CLOEXEC, 0644)) {
    if (fd_ < 0) fail("cannot write the results");
    (void)::flock(fd_, LOCK_EX);
  }
  Appending(const Appending&) = delete;
  Appending& operator=(const Appending&) = delete;
  ~Appending() { ::close(fd_); }

  /// The first line, without its end; empty of an empty file.
  [[nodiscard]] std::string first_line() const {
    std::ifstream in(file_);
    std::string line;
    std::getline(in, line);
    if (line.ends_with('\r')) line.pop_back();
    return line.starts_with("\xef\xbb\xbf") ? line.substr(3) : line;
  }

  void write(const std::string& text) const {
    if (::write(fd_, text.data(), text.size()) != static_cast<ssize_t>(text.size())) fail("cannot write the results");
  }

 private:
  [[noreturn]] void fail(const char* what) const {
    throw Error(Error::Code::unwritable, fmt::format("{}: {}", what, ::strerror(errno)), file_.string(),
                "name another file as 'results' in the settings' [recording]");
  }

  std::filesystem::path file_;
  int fd_;
};

}  // namespace

void append_result(const std::filesystem::path& file, const RunInsight& run) {
  if (file.has_parent_path()) {
    std::error_code failed;
    std::filesystem::create_directories(file.parent_path(), failed);
  }
  const Appending to(file);
  const std::string heading = to.first_line();
  if (!heading.empty() && heading != kHeading)
    throw Error(Error::Code::invalid, "has other columns than results have: nothing was added", file.string(),
                "name another file as 'results' in the settings' [recording], or move this one away");
  to.write((heading.empty() ? std::string("\xef\xbb\xbf") + kHeading + "\r\n" : "") + line_of(run));
}

}  // namespace idlemeter
