// What the report's plots are drawn from.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/compare.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::report {

/// What a run is called in the whole report: "run 4, Medium, Quality".
[[nodiscard]] std::string name_of(const RunInfo& run);

struct PageData {
  std::string json;      ///< safe inside of a script element
  bool thinned = false;  ///< not every frame is in it
};

[[nodiscard]] PageData page_data(const Store& store, const std::vector<RunGroup>& groups, std::size_t most_frames);

}  // namespace idlemeter::report
