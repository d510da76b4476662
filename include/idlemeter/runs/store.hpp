// Idle Meter: the file that holds runs.
#pragma once

#include <chrono>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <iosfwd>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

struct FrameLog;

namespace runs {
class KeptResults;
}

/// How long a store's calls wait for another process that has it locked.
struct LockWait {
  Nanoseconds at_most = std::chrono::seconds(5);

  /// Asked every few milliseconds meanwhile, in the thread that waits: true ends the wait at once. Empty: nothing does.
  std::function<bool()> give_up = {};
};

/// A SQLite file (WAL) with runs; its schema is in docs/store.md.
///
/// One thread at a time; several processes may have it open. Every call throws Error if the file can't be used: it
/// isn't a store, was made by a newer version, is damaged, stays locked, or the disk is full. Nothing that was
/// committed is ever lost by that.
class Store {
 public:
  enum class Mode { create, existing };

  /// Opens the file; `create` makes it (and its folder) if it doesn't exist. Never writes to a file that isn't a store.
  /// One in a folder that can't be written to is opened for reading.
  explicit Store(const std::filesystem::path& path, Mode mode = Mode::create, const LockWait& wait = {});
  Store(Store&&) noexcept;
  Store& operator=(Store&&) noexcept;
  ~Store();

  /// Where runs go unless chosen otherwise: $XDG_DATA_HOME/idlemeter/runs.db, else ~/.local/share/idlemeter/runs.db.
  [[nodiscard]] static std::filesystem::path usual_path();

  [[nodiscard]] const std::filesystem::path& path() const;

  enum class Facts : std::uint8_t { all, none };
  enum class Which : std::uint8_t { kept, removed };

  /// All runs, oldest first, or those that were removed. One that is damaged says so in its `problem`, and hides no
  /// other. Without facts it takes a few microseconds a run.
  [[nodiscard]] std::vector<RunInfo> runs(Facts facts = Facts::all, Which which = Which::kept) const;

  /// Throws Error naming the runs that there are, or if the run is damaged.
  [[nodiscard]] RunInfo run(std::int64_t id) const;

  /// All frames in order; O(frames). Skips intervals that aren't valid frame times (under 1 ns or over kLongestTime);
  /// a summary of intervals() counts those.
  [[nodiscard]] std::vector<FrameRecord> frames(std::int64_t id) const;

  /// Only the intervals, ready for summarize().
  [[nodiscard]] std::vector<Nanoseconds> intervals(std::int64_t id) const;

  /// The readings of a run.
  [[nodiscard]] std::vector<ReadingInfo> readings(std::int64_t id) const;

  /// Readings of a run over time, all of them or those that are wanted. Samples at impossible moments are left out.
  /// Some 50 bytes a value: of a log of many hours, read_samples() takes less.
  [[nodiscard]] std::vector<RunSeries> series(std::int64_t id,
                                              const std::function<bool(const ReadingInfo&)>& wants = {}) const;

  /// Gives all samples of a run in order of time, up to some minutes of them at once, with the readings in the order
  /// of readings(); unpacks them on all cores. O(values), in memory that doesn't grow with the run.
  void read_samples(std::int64_t id, const std::function<void(const RunSamples&)>& take) const;

  // Changes are all or nothing, even if the program is killed.

  /// Throws Error if there is no such run.
  void change(std::span<const std::int64_t> ids, const RunChange& change);

  /// Removed runs are in no list, and can be restored until compact(). Throws Error if there is no such run, or if it
  /// is still being recorded: the process that records it runs on this machine, or, in a store that doesn't say which
  /// one does, it isn't finished and began less than a day ago.
  void remove(std::span<const std::int64_t> ids);
  void restore(std::span<const std::int64_t> ids);

  /// Gives the space of removed runs back to the disk; they are gone then. Returns how many there were.
  [[nodiscard]] std::size_t compact();

  /// Copies runs from another store, or all of it, with everything they have. Runs that are here already (also removed
  /// ones) aren't copied again; of one that was copied while it was recorded, and has become longer since, the rest is
  /// copied, and what was changed here stays. New ones get new numbers. O(bytes).
  struct Added {
    std::vector<std::int64_t> runs;        ///< their numbers here
    std::vector<std::int64_t> continued;   ///< numbers of runs that were here already, shorter
    std::vector<std::int64_t> unfinished;  ///< of both, those that aren't finished yet: copy them again later
    std::size_t already = 0;
  };
  Added add(const Store& from, std::span<const std::int64_t> ids = {});

  /// What is wrong with the file and with runs, a sentence each; none if all is well. O(bytes).
  [[nodiscard]] std::vector<std::string> check() const;

  /// Bytes of a run's frames and readings in the file, by run.
  [[nodiscard]] std::map<std::int64_t, std::uint64_t> sizes() const;

 private:
  friend class Recorder;
  friend class ReadingLog;
  friend class runs::KeptResults;
  friend Added add_run_file(Store& into, std::string_view bytes, const std::string& where);
  friend Added add_run_file(Store& into, const std::filesystem::path& file);
  friend Added add_frame_log(Store& into, const FrameLog& log, const RunDetails& details);
  Added add_runs(std::istream& in, const std::string& where);
  Added add_log(const FrameLog& log, const RunDetails& details);

  struct State;
  std::unique_ptr<State> state_;
};

/// Calls `fill` with the store of a file. A store that doesn't exist yet gets its name only when `fill` has returned: a
/// failed or killed fill leaves no store. Throws Error as Store does, and what `fill` throws.
void fill_store(const std::filesystem::path& file, const std::function<void(Store&)>& fill);

}  // namespace idlemeter
