#include "idlemeter/runs/run_moment.hpp"

#include "idlemeter/runs/run_replay.hpp"

namespace idlemeter {

RunMoment moment_of(const Store& store, std::int64_t run, Moment at, const std::vector<std::string>& ids,
                    const std::vector<ComputedReading>& computed) {
  RunReplay replay(store, run, ids, computed);
  replay.go_to(at);
  return {replay.values(), replay.history()};
}

}  // namespace idlemeter
