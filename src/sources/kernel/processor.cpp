// /proc/stat, cpufreq, /proc/cpuinfo.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

/// The columns of a "cpu" line of /proc/stat, clock ticks spent in each state since the start (proc(5)).
enum Column { user, nice, system, idle, iowait, irq, softirq, steal, kColumns };
using Ticks = std::array<std::uint64_t, kColumns>;

/// How a core spent the time between two samples.
struct Spent {
  double load = 0, user = 0, system = 0, iowait = 0;  // percent
};

/// The time between two samples as shares; empty if no time passed or a counter went back (iowait may, by a little).
std::optional<Spent> spent_between(const Ticks& before, const Ticks& after) {
  std::array<double, kColumns> grown{};
  double all = 0;
  for (std::size_t i = 0; i < kColumns; ++i) {
    if (after[i] < before[i] && i != iowait && i != idle) return std::nullopt;
    grown[i] = after[i] < before[i] ? 0 : static_cast<double>(after[i] - before[i]);
    all += grown[i];
  }
  if (all <= 0) return std::nullopt;
  const auto share = [all](double ticks) { return 100 * ticks / all; };
  return Spent{share(all - grown[idle] - grown[iowait]), share(grown[user] + grown[nice]),
               share(grown[system] + grown[irq] + grown[softirq]), share(grown[iowait])};
}

std::optional<Ticks> ticks_of(const std::vector<std::string_view>& columns) {
  Ticks ticks{};
  if (columns.size() < 1 + idle + 1) return std::nullopt;
  for (std::size_t i = 0; i < kColumns && i + 1 < columns.size(); ++i) {
    const auto count = leading_count(columns[i + 1]);
    if (!count) return std::nullopt;
    ticks[i] = *count;
  }
  return ticks;
}

/// One line's worth: the whole processor or a core.
struct Line {
  std::optional<Ticks> last;
  Value load = Missing{"a share needs two samples"}, user = load, system = load, iowait = load;

  void take(const Ticks& ticks) {
    const auto spent = last ? spent_between(*last, ticks) : std::nullopt;
    if (spent) {
      load = spent->load, user = spent->user, system = spent->system, iowait = spent->iowait;
    } else {
      miss({last ? "no time has passed, or the counters went back" : "a share needs two samples"});
    }
    last = ticks;
  }

  void miss(const Missing& reason) { load = user = system = iowait = reason; }
};

class ProcessorSource : public ReaderSource {
 public:
  explicit ProcessorSource(const fs::path& root)
      : ReaderSource("processor"),
        stat_(root / "proc/stat"),
        info_(root / "proc/cpuinfo"),
        cores_(root / "sys/devices/system/cpu") {}

 private:
  bool before_sample(Moment /*now*/) override {
    sample_clocks();
    sample_throttle();
    return sample_load();
  }

  /// False if cores went on- or offline.
  bool sample_load() {
    const FileText file = read_file(stat_);
    std::map<std::string, Line, std::less<>> now;
    for (std::string_view line : lines(file.text)) {
      if (!line.starts_with("cpu")) continue;
      const auto columns = words(line);
      const auto ticks = ticks_of(columns);
      if (!ticks) continue;
      auto before = load_.find(columns[0]);
      Line& here = now.emplace(columns[0], before == load_.end() ? Line{} : before->second).first->second;
      here.take(*ticks);
    }
    const bool same = std::equal(now.begin(), now.end(), load_.begin(), load_.end(),
                                 [](const auto& a, const auto& b) { return a.first == b.first; });
    load_ = std::move(now);
    error_ = file.error;
    return same;
  }

  /// MHz of each core: cpufreq if the driver offers it, else /proc/cpuinfo.
  void sample_clocks() {
    clocks_.clear();
    bool any = false;
    for (int core : core_numbers_) {
      Value clock = read_number(cores_ / fmt::format("cpu{}/cpufreq/scaling_cur_freq", core), 1e-3);
      any = any || number(clock).has_value();
      clocks_[core] = std::move(clock);
    }
    if (!any) sample_clocks_of_cpuinfo();
  }

  /// "heat" if any core's or package's counter of thermal throttling has grown since the last sample.
  void sample_throttle() {
    if (throttle_counters_.empty()) return;
    double sum = 0;
    for (const fs::path& file : throttle_counters_) sum += number(read_number(file)).value_or(0);
    throttle_ = throttled_ ? Value(sum > *throttled_ ? "heat" : "none") : Value(Missing{"it needs two samples"});
    throttled_ = sum;
  }

  void find_throttle_counters() {
    throttle_counters_.clear();
    for (const int core : core_numbers_) {
      const fs::path folder = cores_ / fmt::format("cpu{}/thermal_throttle", core);
      for (const char* name : {"core_throttle_count", "package_throttle_count"}) {
        std::error_code failed;
        if (fs::exists(folder / name, failed)) throttle_counters_.push_back(folder / name);
      }
    }
  }

  void sample_clocks_of_cpuinfo() {
    int core = -1;
    const FileText file = read_file(info_);
    for (std::string_view line : lines(file.text)) {  // "processor\t: 3", "cpu MHz\t\t: 2499.998"
      const std::size_t colon = line.find(": ");
      if (colon == std::string_view::npos) continue;
      const auto value = leading_number(line.substr(colon + 2));
      if (line.starts_with("processor") && value) core = static_cast<int>(*value);
      if (line.starts_with("cpu MHz") && value) clocks_[core] = *value;
    }
  }

  [[nodiscard]] Value highest_clock() const {
    std::optional<double> highest;
    for (const auto& [core, clock] : clocks_) {
      if (const auto mhz = number(clock)) highest = std::max(highest.value_or(0), *mhz);
    }
    return highest ? Value(*highest) : Value(Missing{"the kernel gives no clock for any core"});
  }

  [[nodiscard]] Value of_line(const std::string& name, Value Line::*share) const {
    if (error_ != 0) return cannot_read(stat_, error_);
    const auto line = load_.find(name);
    return line == load_.end() ? Missing{fmt::format("{} has no line '{}'", stat_.string(), name)}
                               : line->second.*share;
  }

  Reader share_reader(std::string id, std::string title, std::string brief, const std::string& line,
                      Value Line::*share) {
    return {{std::move(id), std::move(title), std::move(brief), "Processor", DeviceKind::processor, Unit::percent,
             stat_.string()},
            [=, this](Moment) { return of_line(line, share); }};
  }

  void find_cores() {
    core_numbers_.clear();
    const FileText file = read_file(stat_);
    for (std::string_view line : lines(file.text)) {
      const auto columns = words(line);
      if (const auto core = number_between(columns.empty() ? "" : columns[0], "cpu", ""))
        core_numbers_.push_back(*core);
    }
  }

  std::vector<Reader> find() override {
    find_cores();
    std::vector<Reader> readers = readers_of_all();
    add_cores(readers);
    find_throttle_counters();
    if (!throttle_counters_.empty()) {
      readers.push_back({{"cpu.throttle", "Processor's reason for a lower clock", "Throttle", "Processor",
                          DeviceKind::processor, Unit::none, cores_.string() + "/cpu*/thermal_throttle", -1, true},
                         [this](Moment) { return throttle_; }});
    }
    return readers;
  }

  std::vector<Reader> readers_of_all() {
    return {
        share_reader("cpu.load", "Processor load", "CPU", "cpu", &Line::load),
        share_reader("cpu.user", "Processor load by programs", "CPU user", "cpu", &Line::user),
        share_reader("cpu.system", "Processor load by the kernel", "CPU kernel", "cpu", &Line::system),
        share_reader("cpu.iowait", "Processor waiting for disks", "I/O wait", "cpu", &Line::iowait),
        {{"cpu.clock", "Processor clock, fastest core", "CPU clock", "Processor", DeviceKind::processor,
          Unit::megahertz, cores_.string() + "/cpu*/cpufreq"},
         [this](Moment) { return highest_clock(); }},
    };
  }

  void add_cores(std::vector<Reader>& readers) {
    const struct {
      const char* id;
      const char* title;
      Value Line::*share;
    } shares[] = {{"load", "load", &Line::load},
                  {"user", "load by programs", &Line::user},
                  {"system", "load by the kernel", &Line::system},
                  {"iowait", "waiting for disks", &Line::iowait}};
    for (const auto& share : shares) {
      for (int core : core_numbers_) {
        readers.push_back(share_reader(fmt::format("cpu.core{}.{}", core, share.id),
                                       fmt::format("Core {} {}", core, share.title), fmt::format("C{}", core),
                                       fmt::format("cpu{}", core), share.share));
      }
    }
    for (int core : core_numbers_) readers.push_back(clock_reader(core));
  }

  Reader clock_reader(int core) {
    const std::string file = (cores_ / fmt::format("cpu{}/cpufreq/scaling_cur_freq", core)).string();
    return {{fmt::format("cpu.core{}.clock", core), fmt::format("Core {} clock", core), fmt::format("C{}", core),
             "Processor", DeviceKind::processor, Unit::megahertz, file},
            [this, core](Moment) {
              const auto clock = clocks_.find(core);
              return clock == clocks_.end() ? Value(Missing{"the core is offline"}) : clock->second;
            }};
  }

  fs::path stat_, info_, cores_;
  std::vector<int> core_numbers_;
  std::map<std::string, Line, std::less<>> load_;
  std::map<int, Value> clocks_;
  std::vector<fs::path> throttle_counters_;
  std::optional<double> throttled_;  // their sum at the last sample
  Value throttle_ = Missing{"it needs two samples"};
  int error_ = 0;
};

}  // namespace

std::unique_ptr<Source> processor_source(const fs::path& root) { return std::make_unique<ProcessorSource>(root); }

}  // namespace idlemeter::sources
