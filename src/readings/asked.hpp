// A source with what it last answered.
#pragma once

#include <memory>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"

namespace idlemeter::readings {

/// Asks one source: discovers when due, samples, turns what a source throws into missing values. A source is sampled
/// only for the readings of its last discover(), and not at all while that fails. One thread at a time.
class AskedSource {
 public:
  AskedSource(std::unique_ptr<Source> source, Nanoseconds rescan) : source_(std::move(source)), rescan_(rescan) {}

  /// What it has, without values.
  [[nodiscard]] std::shared_ptr<const Batch> prepare(Moment now);

  /// What it has, with values. Discovers again if that is due.
  [[nodiscard]] std::shared_ptr<const Batch> ask(Moment now);

  [[nodiscard]] const Source& source() const { return *source_; }

 private:
  void discover_if_due(Moment now);
  std::shared_ptr<Batch> empty_batch(Moment now);
  void discover(Moment now);

  std::unique_ptr<Source> source_;
  Nanoseconds rescan_;
  Moment discovered_{};
  std::string problem_;  // why the last discover() failed; empty: it didn't
  std::vector<ReadingInfo> found_;
  std::shared_ptr<const ReadingList> list_;
};

}  // namespace idlemeter::readings
