#include "idlemeter/face/starters.hpp"

#include <algorithm>
#include <array>

#include "starter_faces.hpp"

namespace idlemeter {
namespace {

constexpr std::array kStarters = {
    Starter{"rate", "only the rate, readable at a glance", kRateFace},
    Starter{"strip", "one line along the top: rate, GPU, CPU, memory, time", kStripFace},
    Starter{"handheld", "one line for a small screen: rate, load, temperature, battery", kHandheldFace},
    Starter{"benchmark", "averages, lows and frame times of a run, and what holds it back", kBenchmarkFace},
    Starter{"thermals", "temperatures, power and clocks, with warnings", kThermalsFace},
    Starter{"everything", "all that matters of the machine, in two columns", kEverythingFace},
    Starter{"dashboard", "free-form: pins at exact places, rings and a reel", kDashboardFace},
};

}  // namespace

std::span<const Starter> starters() { return kStarters; }

const Starter* find_starter(std::string_view name) {
  const auto found =
      std::find_if(kStarters.begin(), kStarters.end(), [&](const Starter& starter) { return starter.name == name; });
  return found == kStarters.end() ? nullptr : &*found;
}

}  // namespace idlemeter
