// Small trees like /sys and /proc, and the machine that reads them.
#pragma once

#include <optional>
#include <string>

#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/sources/machine.hpp"

namespace idlemeter::testing {

/// A tree of files and the machine that reads it.
class Tree : public Folder {
 public:
  /// Samples a second later than the last time.
  Snapshot sample() {
    if (!polling_) polling_.emplace(machine_sources({.root = path()}));
    return polling_->sample(now_ += kSecond);
  }

  /// Two samples with `change` between them.
  template <typename Change>
  Snapshot sample_after(Change change) {
    (void)sample();
    change(*this);
    return sample();
  }

 private:
  std::optional<Polling> polling_;
  Moment now_{};
};

inline double value(const Snapshot& values, const std::string& id) {
  const auto entry = values.find(id);
  return entry.value == nullptr ? -999 : number(*entry.value).value_or(-998);
}

inline std::string reason(const Snapshot& values, const std::string& id) {
  const auto entry = values.find(id);
  const auto* missing = entry.value == nullptr ? nullptr : std::get_if<Missing>(entry.value);
  return missing == nullptr ? "" : missing->reason;
}

}  // namespace idlemeter::testing
