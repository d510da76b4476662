#include "idlemeter/runs/run.hpp"

#include <algorithm>

#include "base/enum_names.hpp"

namespace idlemeter {
namespace {

using namespace base;

constexpr Word<RunEnd> kEnds[] = {{"asked", RunEnd::asked},
                                  {"time", RunEnd::time},
                                  {"game ended", RunEnd::game_ended},
                                  {"game crashed", RunEnd::game_crashed},
                                  {"store failed", RunEnd::store_failed}};

}  // namespace

std::map<std::string, std::string> facts_to_share(std::map<std::string, std::string> facts, bool arguments) {
  if (!arguments) facts.erase(std::string(kArgumentsFact));
  return facts;
}

bool is_log(const RunInfo& run) {
  const auto& tags = run.details.tags;
  return run.frames == 0 && std::find(tags.begin(), tags.end(), "log") != tags.end();
}

std::string_view name_of(RunEnd end) { return word_of(end, kEnds); }
std::optional<RunEnd> run_end_from(std::string_view name) { return value_of(name, kEnds); }

}  // namespace idlemeter
