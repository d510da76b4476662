// usage: interval_coverage [RUNS [SECONDS [KIND]]]: simulates so many runs (1,000) of so many seconds (60) of each
// kind, and prints in how many percent of them an interval is given, and in how many it misses the true figure.
#include <fmt/format.h>

#include <cstdlib>
#include <future>
#include <vector>

#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/interval.hpp"
#include "simulated_runs.hpp"

namespace {

using namespace idlemeter;

const std::vector<std::pair<const char*, Figure>> kFigures = {
    {"average", {}},
    {"median", {.kind = Figure::Kind::percentile}},
    {"P95", {.kind = Figure::Kind::percentile, .q = 0.95}},
    {"P99", {.kind = Figure::Kind::percentile, .q = 0.99}},
    {"1% low, slowest", {.kind = Figure::Kind::low, .share = Share{10'000}}},
    {"1% low, time", {.kind = Figure::Kind::low, .share = Share{10'000}, .definition = LowDefinition::share_of_time}},
    {"0.1% low, slowest", {.kind = Figure::Kind::low, .share = Share{1'000}}}};

std::string row(const rig::RunKind& kind, unsigned runs, double seconds) {
  std::vector<Figure> figures;
  for (const auto& [name, figure] : kFigures) figures.push_back(figure);
  const auto frames = static_cast<std::size_t>(seconds * rig::kSimulatedRate);
  std::string text = fmt::format("| {}", kind.name);
  for (const rig::Coverage& one : rig::coverage_of(kind, figures, frames, runs, std::min(3'000'000u, runs * 30'000)))
    text += fmt::format(" | {:.0f} %, {:.1f} %", 100.0 * one.given / one.runs, 100.0 * one.missed / one.runs);
  return text + " |\n";
}

}  // namespace

int main(int argc, char** argv) {
  const unsigned runs = argc > 1 ? static_cast<unsigned>(std::atoi(argv[1])) : 1'000;
  const double seconds = argc > 2 ? std::atof(argv[2]) : 60;
  std::string text =
      fmt::format("{} runs of {} s: interval given, true figure missed (of all runs)\n| kind", runs, seconds);
  for (const auto& [name, figure] : kFigures) text += fmt::format(" | {}", name);
  std::fputs((text + " |\n").c_str(), stdout);
  std::vector<std::future<std::string>> rows;
  for (const rig::RunKind& kind : rig::run_kinds()) {
    if (argc < 4 || kind.name == argv[3]) rows.push_back(std::async(std::launch::async, &row, kind, runs, seconds));
  }
  for (auto& one : rows) std::fputs(one.get().c_str(), stdout);
  return 0;
}
