// A store whose rows anybody may have changed, and a tree of kernel files.
#include <sqlite3.h>

#include <set>

#include "doors.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/frame_readings.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_moment.hpp"
#include "idlemeter/runs/series_summary.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/sources/game_pid.hpp"
#include "idlemeter/sources/machine.hpp"

namespace idlemeter::fuzz {
namespace {

/// Two runs, as a file's bytes.
const std::string& usual_store() {
  static const std::string bytes = [] {
    const Scratch scratch;
    {
      Store store(scratch.path() / "a.db");
      for (const char* game : {"Tidepool Rally", "Kelp"}) {
        Recorder recorder(store, {.game = game, .note = "a note", .tags = {"cool"}, .facts = {{"GPU", "Marl G9"}}});
        FrameReadings frames;
        for (int i = 1; i <= 300; ++i) {
          const FrameRecord frame{Moment{i * 10 * kMillisecond}, 10 * kMillisecond, kMicrosecond};
          recorder.add(frame);
          frames.add(frame);
          if (i % 100 == 0) recorder.add(frame.at, Snapshot({}, {frames.batch({})}));
        }
        if (game[0] == 'T') recorder.finish();  // packed; the other stays in rows
      }
    }
    std::string all(std::filesystem::file_size(scratch.path() / "a.db"), '\0');
    FILE* file = std::fopen((scratch.path() / "a.db").c_str(), "rb");
    require(std::fread(all.data(), 1, all.size(), file) == all.size());
    std::fclose(file);
    return all;
  }();
  return bytes;
}

void change(sqlite3* database, Bytes& input) {
  constexpr const char* kColumns[][2] = {{"run", "game"},
                                         {"run", "started"},
                                         {"run", "finished"},
                                         {"run", "id"},
                                         {"run", "ended"},
                                         {"run", "lost"},
                                         {"run", "uuid"},
                                         {"run", "removed"},
                                         {"run", "frames"},
                                         {"run", "length_ns"},
                                         {"run_tag", "tag"},
                                         {"run_fact", "kind"},
                                         {"run_fact", "value"},
                                         {"frame_chunk", "start_ns"},
                                         {"frame_chunk", "frames"},
                                         {"frame_chunk", "length_ns"},
                                         {"frame_chunk", "intervals_ns"},
                                         {"frame_chunk", "gpu_work_ns"},
                                         {"run_reading", "id"},
                                         {"run_reading", "unit"},
                                         {"run_reading", "digits"},
                                         {"run_reading", "place"},
                                         {"sample", "at_ns"},
                                         {"sample", "numbers"},
                                         {"sample_text", "reading"},
                                         {"sample_text", "at_ns"},
                                         {"sample_text", "text"},
                                         {"run_reading", "text"},
                                         {"run_reading", "kind"},
                                         {"sample", "place"},
                                         {"frame_chunk", "packed"},
                                         {"sample_block", "samples"},
                                         {"sample_block", "readings"},
                                         {"sample_block", "packed"},
                                         {"run_reading", "alias"}};
  const auto& [table, column] = kColumns[input.below(std::size(kColumns))];
  const std::string sql = std::string("UPDATE OR IGNORE ") + table + " SET " + column + " = ? WHERE rowid % 4 = ?";
  sqlite3_stmt* statement = nullptr;
  if (sqlite3_prepare_v2(database, sql.c_str(), -1, &statement, nullptr) != SQLITE_OK) return;  // a table without rowid
  const std::size_t kind = input.below(4);
  std::string text = input.text();
  if (kind == 0) sqlite3_bind_int64(statement, 1, input.integer());
  if (kind == 1) sqlite3_bind_text(statement, 1, text.data(), static_cast<int>(text.size()), SQLITE_TRANSIENT);
  if (kind == 2) sqlite3_bind_blob(statement, 1, text.data(), static_cast<int>(text.size()), SQLITE_TRANSIENT);
  if (kind == 3) sqlite3_bind_double(statement, 1, static_cast<double>(input.integer()) * 1e10);
  sqlite3_bind_int64(statement, 2, static_cast<std::int64_t>(input.below(4)));
  sqlite3_step(statement);
  sqlite3_finalize(statement);
}

void read_all(const std::filesystem::path& file) {
  try {
    const Store store(file, Store::Mode::existing);
    for (const RunInfo& run : store.runs()) {
      require(run.length >= Nanoseconds{} && run.length <= kLongestTime);
      try {
        for (const FrameRecord& frame : store.frames(run.id))
          require(frame.interval > Nanoseconds{} && frame.interval <= kLongestTime);
        for (const RunSeries& series : store.series(run.id)) {
          require(series.at.size() == series.values.size());
          (void)summarize(series);
        }
        (void)summarize(store.intervals(run.id)).remarks();
        (void)moment_of(store, run.id, Moment{kSecond}, {"frame.low@1%"});
      } catch (const Error&) {
      }
    }
  } catch (const Error&) {
  }
}

}  // namespace

void store(std::string_view bytes) {
  Bytes input(bytes);
  const Scratch scratch;
  const auto file = scratch.path() / "a.db";
  if (input.below(4) == 0) {  // bytes of the file itself
    std::string damaged = usual_store();
    while (!input.empty())
      damaged[input.take<std::uint32_t>() % damaged.size()] = static_cast<char>(input.take<std::uint8_t>());
    scratch.file("a.db", damaged);
    return read_all(file);
  }
  scratch.file("a.db", usual_store());
  sqlite3* database = nullptr;
  require(sqlite3_open(file.c_str(), &database) == SQLITE_OK);
  sqlite3_exec(database, "PRAGMA synchronous = OFF; PRAGMA journal_mode = MEMORY; PRAGMA foreign_keys = OFF; BEGIN",
               nullptr, nullptr, nullptr);
  for (int i = 0; i < 24 && !input.empty(); ++i) change(database, input);
  sqlite3_exec(database, "COMMIT", nullptr, nullptr, nullptr);
  sqlite3_close(database);
  read_all(file);
}

void machine(std::string_view bytes) {
  constexpr const char* kFolders[] = {"proc",
                                      "sys/class/hwmon/hwmon0",
                                      "sys/class/hwmon/hwmon1",
                                      "sys/class/thermal/thermal_zone0",
                                      "sys/class/thermal/thermal_zone1",
                                      "sys/class/net/eth0/statistics",
                                      "sys/class/net/eth_0/statistics",
                                      "sys/block/sda",
                                      "sys/class/power_supply/BAT0",
                                      "sys/class/powercap/intel-rapl:0",
                                      "sys/class/drm/card0/device",
                                      "sys/class/drm/card1/device",
                                      "proc/pressure",
                                      "sys/devices/system/cpu/cpu0/cpufreq",
                                      "sys/firmware/dmi/tables",
                                      "sys/class/drm/card0/device/hwmon/hwmon2",
                                      "proc/1",
                                      "proc/1/fdinfo"};
  constexpr const char* kNames[] = {"name",
                                    "temp1_input",
                                    "temp1_label",
                                    "temp2_input",
                                    "temp2_label",
                                    "fan1_input",
                                    "pwm1",
                                    "type",
                                    "temp",
                                    "rx_bytes",
                                    "tx_bytes",
                                    "stat",
                                    "meminfo",
                                    "diskstats",
                                    "cpuinfo",
                                    "capacity",
                                    "energy_now",
                                    "power_now",
                                    "status",
                                    "energy_uj",
                                    "max_energy_range_uj",
                                    ("gpu_"
                                     "busy_percent"),
                                    "mem_info_vram_used",
                                    "mem_info_vram_total",
                                    "vendor",
                                    "uevent",
                                    "cpu",
                                    "memory",
                                    "io",
                                    "scaling_cur_freq",
                                    "DMI",
                                    "in0_input",
                                    "pp_dpm_sclk",
                                    "pp_dpm_mclk",
                                    "fan1_max",
                                    "power1_average",
                                    "power1_cap",
                                    "5",
                                    "comm",
                                    "status",
                                    "smbios_entry_point",
                                    "gt_cur_freq_mhz"};
  Bytes input(bytes);
  const Scratch tree;
  Polling polling(machine_sources({.root = tree.path(), .game = std::make_shared<GamePid>(1), .graphics_library = ""}));
  Moment now{kSecond};
  for (int step = 0; step < 24 && !input.empty(); ++step) {
    const std::filesystem::path folder = kFolders[input.below(std::size(kFolders))],
                                name = kNames[input.below(std::size(kNames))];
    std::error_code failed;
    const std::size_t what = input.below(8);
    if (what == 0) std::filesystem::remove_all(tree.path() / folder, failed);
    if (what == 1) std::filesystem::create_directories(tree.path() / folder / name, failed);
    if (what > 2) {
      std::filesystem::create_directories(tree.path() / folder, failed);
      tree.file(folder / name, input.text());
    }
    if (what != 2 && step % 8 != 7) continue;
    now += input.take<std::uint8_t>() * kSecond / 16 + Nanoseconds{1};
    std::set<std::string> ids;
    const Snapshot values = polling.sample(now);
    for (const auto& entry : values.entries()) require(!entry.info->id.empty() && ids.insert(entry.info->id).second);
    require(values.problems().empty());
  }
  (void)polling.sample(now + 10 * kSecond);
}

}  // namespace idlemeter::fuzz
