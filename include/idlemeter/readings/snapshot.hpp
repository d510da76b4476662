// Idle Meter: the values of many readings at one moment.
#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {

/// Readings with an index by id. Immutable: any number of threads.
class ReadingList {
 public:
  /// Of two readings with the same id the first is kept.
  explicit ReadingList(std::vector<ReadingInfo> readings);

  [[nodiscard]] const std::vector<ReadingInfo>& readings() const { return readings_; }
  [[nodiscard]] std::optional<std::size_t> index_of(std::string_view id) const;

 private:
  std::vector<ReadingInfo> readings_;
  std::unordered_map<std::string_view, std::size_t> index_;
};

/// The values of one source at one moment; as many as the list has readings.
struct Batch {
  std::shared_ptr<const ReadingList> list;
  std::vector<Value> values;
  Moment time{};
  std::vector<bool> provisional = {};  ///< which values rest on too little yet; empty: none
  std::string source = {};             ///< its name; empty if no source is asked for these
  std::string problem = {};            ///< why the source can't say what it has; empty if it can
};

/// A source that can't say which readings it has, and why.
struct SourceProblem {
  std::string source, reason;
};

/// The values of all readings at one moment. Immutable once made: any number of threads. Copies are cheap (they share).
class Snapshot {
 public:
  Snapshot() = default;
  Snapshot(Moment time, std::vector<std::shared_ptr<const Batch>> batches)
      : time_(time), batches_(std::move(batches)) {}

  struct Entry {
    const ReadingInfo* info = nullptr;  ///< lives as long as the snapshot
    const Value* value = nullptr;
    bool provisional = false;  ///< rests on too little yet: show it as such
  };

  /// The reading, or nullptrs if no source has it. Of two sources with the same id the first counts.
  [[nodiscard]] Entry find(std::string_view id) const;

  /// Every reading once, in the order of the sources.
  [[nodiscard]] std::vector<Entry> entries() const;

  /// The sources that can't say what they have, in their order; usually none.
  [[nodiscard]] std::vector<SourceProblem> problems() const;

  /// The same with one more batch at the end; as new as the newer of both.
  [[nodiscard]] Snapshot with(std::shared_ptr<const Batch> batch) const;

  [[nodiscard]] Moment time() const { return time_; }

 private:
  Moment time_{};
  std::vector<std::shared_ptr<const Batch>> batches_;
};

/// Why there is no such reading, for people: "no reading 'gpu.lod' here; nearest: gpu.load", "no reading 'gpu.load'
/// here: this machine has no graphics card".
[[nodiscard]] std::string unknown_reading(std::string_view id, const Snapshot& snapshot);

/// The ids most like a misspelt one, best first, at most `most`; none if nothing is near.
[[nodiscard]] std::vector<std::string> nearest_ids(std::string_view id, const Snapshot& snapshot, std::size_t most = 3);

}  // namespace idlemeter
