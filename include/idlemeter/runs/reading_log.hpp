// Idle Meter: readings over hours or days, without a game.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

struct LogOptions {
  std::function<bool(const ReadingInfo&)> wants = {};  ///< which readings; empty: all
  std::map<std::string, Nanoseconds> paces = {};       ///< of single readings by id: no more often than that

  /// After this time the log continues in another run, so that there is something to drop. 0: never.
  Nanoseconds part = {};

  /// If the store is full, the oldest part of this log is deleted for good to make room. Otherwise the samples taken
  /// meanwhile are lost, and the log continues in another run once there is room.
  bool drop_oldest = false;

  Nanoseconds retry = 10 * kSecond;  ///< after a store that couldn't be written
};

/// Writes snapshots into a store as a run without frames, with the tag "log": compactly, and safe on the disk within a
/// second. Devices may come and go. Gaps between snapshots, as of a machine that slept, stay gaps.
///
/// One thread at a time. Only the constructor throws; problem() reports a store that fails later.
class ReadingLog {
 public:
  using Clock = std::function<Moment()>;

  /// Throws Error if the store can't be opened or written. `clock` decides when to commit; the monotonic one if empty.
  ReadingLog(std::filesystem::path store, RunDetails details, LogOptions options = {}, Clock clock = {});
  ReadingLog(const ReadingLog&) = delete;
  ReadingLog& operator=(const ReadingLog&) = delete;

  /// Commits everything added so far.
  ~ReadingLog();

  /// What the readings are at that moment of the log (`Moment{}`: its start); `at` rises. Throws Error (moved) if the
  /// store was moved, replaced or removed meanwhile: the log has ended.
  void add(Moment at, const Snapshot& snapshot);

  /// Ends it.
  void finish();

  /// Why the store took nothing the last time: "the disk is full, …"; empty if it did.
  [[nodiscard]] const std::string& problem() const;

  /// The runs that it has written to, but for those that were dropped.
  [[nodiscard]] const std::vector<std::int64_t>& runs() const;

  /// Snapshots that were lost because the store couldn't be written.
  [[nodiscard]] std::uint64_t lost() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
