#include "idlemeter/runs/run.hpp"

#include "base/words.hpp"

namespace idlemeter {
namespace {

using namespace base;

constexpr Word<RunEnd> kEnds[] = {{"asked", RunEnd::asked},
                                  {"time", RunEnd::time},
                                  {"game ended", RunEnd::game_ended},
                                  {"game crashed", RunEnd::game_crashed},
                                  {"store failed", RunEnd::store_failed}};

}  // namespace

std::string_view name_of(RunEnd end) { return word_of(end, kEnds); }
std::optional<RunEnd> run_end_from(std::string_view name) { return value_of(name, kEnds); }

}  // namespace idlemeter
