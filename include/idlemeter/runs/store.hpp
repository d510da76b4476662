// Idle Meter: the file that holds runs.
#pragma once

#include <chrono>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

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

  /// Opens the file; `create` makes it (and its folder) if it isn't there. Never writes to a file that isn't a store.
  /// One in a folder that can't be written to is opened for reading.
  explicit Store(const std::filesystem::path& path, Mode mode = Mode::create, LockWait wait = {});
  Store(Store&&) noexcept;
  Store& operator=(Store&&) noexcept;
  ~Store();

  /// Where runs go unless chosen otherwise: $XDG_DATA_HOME/idlemeter/runs.db, else ~/.local/share/idlemeter/runs.db.
  [[nodiscard]] static std::filesystem::path usual_path();

  [[nodiscard]] const std::filesystem::path& path() const;

  /// All runs, oldest first. One that is damaged says so in its `problem`, and hides no other.
  [[nodiscard]] std::vector<RunInfo> runs() const;

  /// Throws Error naming the runs that there are, or if the run is damaged.
  [[nodiscard]] RunInfo run(std::int64_t id) const;

  /// All frames in order; O(frames). Intervals that are none (under 1 ns or over kLongestTime) are left out, as a
  /// summary of intervals() counts them.
  [[nodiscard]] std::vector<FrameRecord> frames(std::int64_t id) const;

  /// Only the intervals, ready for summarize().
  [[nodiscard]] std::vector<Nanoseconds> intervals(std::int64_t id) const;

  /// All readings of a run over time; samples at impossible moments are left out.
  [[nodiscard]] std::vector<RunSeries> series(std::int64_t id) const;

 private:
  friend class Recorder;
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
