#pragma once

#include <algorithm>
#include <string_view>
#include <vector>

#include "idlemeter/runs/run.hpp"

namespace idlemeter::insight {

/// The hottest part first: of these a run is judged by the first that it has.
inline constexpr std::string_view kTemperatures[] = {"gpu.hotspot.temp", "gpu.temp", "cpu.temp"};

/// The reading's series; nullptr if the run doesn't have it.
inline const RunSeries* find_series(const std::vector<RunSeries>& all, std::string_view id) {
  const auto found = std::find_if(all.begin(), all.end(), [&](const RunSeries& one) { return one.info.id == id; });
  return found == all.end() ? nullptr : &*found;
}

}  // namespace idlemeter::insight
