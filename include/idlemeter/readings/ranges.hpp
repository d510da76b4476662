// Idle Meter: the range of values seen of each reading.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {

/// The least and the most that each reading has been since the start.
class Ranges {
 public:
  void add(const std::vector<Snapshot::Entry>& entries) {
    for (const auto& [info, value, provisional] : entries) {
      const auto n = number(*value);
      if (!n) continue;
      const auto [range, is_new] = ranges_.try_emplace(info->id, *n, *n);
      range->second = {std::min(range->second.first, *n), std::max(range->second.second, *n)};
    }
  }

  [[nodiscard]] std::optional<std::pair<double, double>> of(const std::string& id) const {
    const auto range = ranges_.find(id);
    return range == ranges_.end() ? std::nullopt : std::optional(range->second);
  }

  /// "61 … 74"
  [[nodiscard]] std::string text(const ReadingInfo& info) const {
    const auto range = of(info.id);
    if (!range || info.text) return "";
    const int digits = digits_of(info);
    return fmt::format("{} … {}", format_number(range->first, digits), format_number(range->second, digits));
  }

 private:
  std::map<std::string, std::pair<double, double>> ranges_;
};

}  // namespace idlemeter
