// Idle Meter: one quantity over time, what it is and what it is now.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <variant>
#include <vector>

#include "idlemeter/frame_summary.hpp"
#include "idlemeter/units.hpp"

namespace idlemeter {

/// There is no value, and why: "cannot read /sys/…/energy_uj: Permission denied; …".
struct Missing {
  std::string reason;
  friend bool operator==(const Missing&, const Missing&) = default;
};

/// What a reading is at a moment: missing, a number in the reading's unit, or a text. A number is always finite.
using Value = std::variant<Missing, double, std::string>;

/// The number, or empty.
std::optional<double> number(const Value& value);

/// What kind of device a reading belongs to; faces colour by it.
enum class DeviceKind : std::uint8_t {
  processor,
  graphics,
  memory,
  disk,
  network,
  battery,
  board,
  frames,
  game,
  system,
  own
};

inline constexpr DeviceKind kDeviceKinds[] = {DeviceKind::processor, DeviceKind::graphics, DeviceKind::memory,
                                              DeviceKind::disk,      DeviceKind::network,  DeviceKind::battery,
                                              DeviceKind::board,     DeviceKind::frames,   DeviceKind::game,
                                              DeviceKind::system,    DeviceKind::own};

/// "processor", "graphics" …
std::string_view name_of(DeviceKind kind);

/// What a reading is. Ids are `device.part.quantity@argument`, stable between boots: `cpu.core3.clock`,
/// `gpu.hotspot.temp`.
struct ReadingInfo {
  std::string id = {};
  std::string title = {};   ///< for people: "GPU hotspot temperature"
  std::string brief = {};   ///< for a narrow place: "Hotspot"
  std::string device = {};  ///< "Marl G9"
  DeviceKind kind = DeviceKind::system;
  Unit unit = Unit::none;
  std::string source = {};  ///< where the value comes from: a file, a library, a command
  int digits = -1;          ///< after the point; -1: as usual for the unit
  bool text = false;        ///< its values are texts

  friend bool operator==(const ReadingInfo&, const ReadingInfo&) = default;
};

/// "3.4 GHz", "71 °C", the text, or "–" where missing.
std::string format_value(const ReadingInfo& info, const Value& value);

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
  Nanoseconds time = 0;
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
  Snapshot(Nanoseconds time, std::vector<std::shared_ptr<const Batch>> batches)
      : time_(time), batches_(std::move(batches)) {}

  struct Entry {
    const ReadingInfo* info = nullptr;  ///< lives as long as the snapshot
    const Value* value = nullptr;
    bool provisional = false;  ///< rests on too little yet: show it as such
  };

  /// The reading, or nullptrs where no source has it. Of two sources with the same id the first counts.
  [[nodiscard]] Entry find(std::string_view id) const;

  /// Every reading once, in the order of the sources.
  [[nodiscard]] std::vector<Entry> entries() const;

  /// The sources that can't say what they have, in their order; usually none.
  [[nodiscard]] std::vector<SourceProblem> problems() const;

  /// The same with one more batch at the end; as new as the newer of both.
  [[nodiscard]] Snapshot with(std::shared_ptr<const Batch> batch) const;

  /// On the monotonic clock.
  [[nodiscard]] Nanoseconds time() const { return time_; }

 private:
  Nanoseconds time_ = 0;
  std::vector<std::shared_ptr<const Batch>> batches_;
};

/// The ids most like a misspelt one, best first, at most `most`; none where nothing is near.
std::vector<std::string> nearest_ids(std::string_view id, const Snapshot& snapshot, std::size_t most = 3);

}  // namespace idlemeter
