// The game's own process: /proc/PID (proc(5)), and what it has the GPU do (Documentation/gpu/drm-usage-stats.rst).
#include <fmt/format.h>
#include <unistd.h>

#include <map>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/graphics/game_engines.hpp"
#include "sources/kernel/rate.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

constexpr double kMebibyte = 1024 * 1024;

/// Fields of /proc/PID/stat after the name in brackets, counted from the state as 0.
enum StatField { kMajorFaults = 9, kUserTicks = 11, kSystemTicks = 12, kThreads = 17, kStatFields = 18 };

class GameProcessSource : public ReaderSource {
 public:
  GameProcessSource(const fs::path& root, GameProcess game)
      : ReaderSource("game process"), root_(root), game_(std::move(game)) {}

 private:
  bool before_sample(Moment now) override {
    if (game_.changed()) return false;
    if (game_.pid() <= 0) return true;
    sample_stat(now);
    sample_engines(now);
    return true;
  }

  void sample_stat(Moment now) {
    const FileText file = read_file(folder_ / "stat");
    const auto fields = words(std::string_view(file.text).substr(std::min(file.text.rfind(')') + 1, file.text.size())));
    gone_ = !file.ok() || fields.size() < kStatFields;
    load_ = threads_ = faults_ = others_ = Missing{fmt::format("{}: the game has ended", folder_.string())};
    if (gone_) return;
    const auto user = leading_count(fields[kUserTicks]), system = leading_count(fields[kSystemTicks]);
    const auto threads = leading_count(fields[kThreads]);
    if (threads) threads_ = static_cast<double>(*threads);
    const Missing none{"no processor times"};
    const Value ticks = user && system ? ticks_.next(now, *user + *system) : Value(none);
    const auto faults = leading_count(fields[kMajorFaults]);
    faults_ = faults ? fault_rate_.next(now, *faults) : Value(Missing{"no page faults are counted"});
    const Cores all = cores();
    const Value busy = all.busy ? busy_.next(now, *all.busy) : Value(none);
    // Ticks a second of one core, as a share of all cores.
    static const double kTicksPerSecond = static_cast<double>(sysconf(_SC_CLK_TCK));
    const double percent = 100 / kTicksPerSecond / all.count;
    load_ = scaled(ticks, percent);
    others_ = number(ticks) && number(busy) ? Value(std::max(0.0, *number(busy) - *number(ticks)) * percent)
                                            : scaled(number(ticks) ? busy : ticks, 1);
  }

  struct Cores {
    int count = 1;
    std::optional<std::uint64_t> busy = {};  ///< ticks that they worked, all together
  };

  static std::uint64_t busy_ticks(std::span<const std::string_view> parts) {
    constexpr std::size_t kIdle = 4, kIoWait = 5, kGuest = 9;  // guests' times are in the user's too
    std::uint64_t busy = 0;
    for (std::size_t i = 1; i < std::min(parts.size(), kGuest); ++i) {
      if (i != kIdle && i != kIoWait) busy += leading_count(parts[i]).value_or(0);
    }
    return busy;
  }

  [[nodiscard]] Cores cores() const {
    Cores all{.count = 0};
    const FileText stat = read_file(root_ / "proc/stat");
    for (std::string_view line : lines(stat.text)) {
      const auto parts = words(line);
      if (!line.starts_with("cpu")) continue;
      if (parts[0] != "cpu") {
        ++all.count;
        continue;
      }
      all.busy = busy_ticks(parts);
    }
    all.count = std::max(all.count, 1);
    return all;
  }

  void sample_engines(Moment now) {
    engines_ = game_engines(folder_ / "fdinfo");
    for (const auto& [engine, busy] : engines_.busy) {
      engine_loads_[engine] = scaled(engine_rates_[engine].next(now, busy), 1e-7);  // ns a second as percent
    }
  }

  [[nodiscard]] Value engine_load(const std::string& engine) const {
    const auto load = engine_loads_.find(engine);
    return load == engine_loads_.end() ? Value(Missing{"the game has not used this engine"}) : load->second;
  }

  /// "VmRSS:\t  123456 kB" of /proc/PID/status as MiB.
  [[nodiscard]] Value memory() const {
    const FileText file = read_file(folder_ / "status");
    for (std::string_view line : lines(file.text)) {
      const auto parts = words(line);
      const auto kibibytes = parts.size() > 1 && parts[0] == "VmRSS:" ? leading_count(parts[1]) : std::nullopt;
      if (kibibytes) return static_cast<double>(*kibibytes) / 1024;
    }
    return file.ok() ? Missing{"the game has no memory of its own"} : cannot_read(folder_ / "status", file.error);
  }

  /// A counter of /proc/PID/io as MB/s.
  Value io_rate(const char* name, Moment now) {
    const FileText file = read_file(folder_ / "io");
    if (!file.ok()) return cannot_read(folder_ / "io", file.error);
    for (std::string_view line : lines(file.text)) {
      const auto parts = words(line);
      const auto bytes = parts.size() > 1 && parts[0] == name ? leading_count(parts[1]) : std::nullopt;
      if (!bytes) continue;
      return scaled(io_[name].next(now, *bytes), 1e-6);
    }
    return Missing{fmt::format("{} has no {}", (folder_ / "io").string(), name)};
  }

  std::vector<Reader> find() override {
    if (game_.look()) forget();
    std::vector<Reader> readers;
    const bool is_here = game_.pid() > 0;  // the readings exist without a game too: a face may name them
    folder_ = root_ / "proc" / (is_here ? fmt::format("{}", game_.pid()) : "GAME");
    const auto add = [&](const char* id, const char* title, const char* brief, Unit unit, const char* file, auto read) {
      ReadingInfo info{id, title, brief, "Game", DeviceKind::game, unit, (folder_ / file).string()};
      if (is_here) {
        readers.push_back({std::move(info), std::move(read)});
      } else {
        readers.push_back({std::move(info), [](Moment) -> Value { return Missing{"no game runs"}; }});
      }
    };
    add("game.cpu.load", "Game's share of the processor", "Game CPU", Unit::percent, "stat",
        [this](Moment) { return load_; });
    add("game.faults", "Game's page faults from disk per second", "Faults", Unit::none, "stat",
        [this](Moment) { return faults_; });
    if (is_here)
      readers.push_back({{"cpu.others.load", "Processor load by other programs than the game", "Others", "Processor",
                          DeviceKind::processor, Unit::percent, (root_ / "proc/stat").string()},
                         [this](Moment) { return others_; }});
    add("game.threads", "Game's threads", "Threads", Unit::none, "stat", [this](Moment) { return threads_; });
    add("game.memory.used", "Game's memory", "Game RAM", Unit::mebibyte, "status", [this](Moment) { return memory(); });
    add("game.disk.read", "Game reads from disks", "Game read", Unit::megabyte_per_second, "io",
        [this](Moment now) { return io_rate("read_bytes:", now); });
    add("game.disk.write", "Game writes to disks", "Game write", Unit::megabyte_per_second, "io",
        [this](Moment now) { return io_rate("write_bytes:", now); });
    if (is_here) add_engines(readers);
    return readers;
  }

  /// Another game's counters start elsewhere.
  void forget() {
    forget_numbers();
    ticks_ = busy_ = fault_rate_ = Rate();
    io_.clear();
    engine_rates_.clear();
    engine_loads_.clear();
    load_ = threads_ = faults_ = others_ = Missing{"a load needs two samples"};
  }

  /// Only what this game's driver reports.
  void add_engines(std::vector<Reader>& readers) {
    engines_ = game_engines(folder_ / "fdinfo");
    const std::string source = (folder_ / "fdinfo").string();
    for (const auto& [engine, busy] : engines_.busy) {
      readers.push_back({{fmt::format("game.gpu.{}.load", engine), fmt::format("Game's GPU work, {} engine", engine),
                          "Game GPU", "Game", DeviceKind::game, Unit::percent, source},
                         [this, engine = engine](Moment) { return engine_load(engine); }});
    }
    if (!engines_.memory) return;
    readers.push_back(
        {{"game.gpu.memory.used", "Game's GPU memory", "Game VRAM", "Game", DeviceKind::game, Unit::mebibyte, source},
         [this](Moment) -> Value {
           if (!engines_.memory) return Missing{"the game has no GPU memory"};
           return static_cast<double>(*engines_.memory) / kMebibyte;
         }});
  }

  fs::path root_, folder_;
  GameProcess game_;
  bool gone_ = false;
  Rate ticks_, busy_, fault_rate_;
  Value load_, threads_, faults_, others_;
  std::map<std::string, Rate> io_;
  GameEngines engines_;
  std::map<std::string, Rate> engine_rates_;
  std::map<std::string, Value> engine_loads_;
};

}  // namespace

std::unique_ptr<Source> game_process_source(const fs::path& root, GameProcess game) {
  return std::make_unique<GameProcessSource>(root, std::move(game));
}

}  // namespace idlemeter::sources
