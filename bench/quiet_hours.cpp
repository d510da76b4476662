// usage: quiet_hours [HOURS]: simulates HOURS (500) of each kind without a change of level, and prints how many changes
// of a level, trends and brief changes are reported in ten hours. Then it simulates hours with a single event, and
// prints how often that event is reported, and how often anything else.
#include <fmt/format.h>

#include <algorithm>
#include <cstdint>
#include <cstdlib>

#include "simulated_hours.hpp"

int main(int argc, char** argv) {
  using namespace idlemeter;
  const unsigned hours = argc > 1 ? static_cast<unsigned>(std::atoi(argv[1])) : 500;
  fmt::print("{} hours each\n| quiet hours | false changes in ten hours |\n", hours);
  for (const rig::HourKind& kind : rig::quiet_hours()) {
    std::size_t count = 0;
    for (std::uint64_t hour = 1; hour <= hours; ++hour) count += rig::told_of(kind, hour).size();
    fmt::print("| {} | {:.2f} |\n", kind.name, 10.0 * static_cast<double>(count) / hours);
  }
  fmt::print("| what happens | told in | also or instead told as something else in |\n");
  for (const rig::EventfulHour& one : rig::eventful_hours()) {
    unsigned found = 0, otherwise = 0;
    for (std::uint64_t hour = 1; hour <= hours; ++hour) {
      const auto told = rig::told_of(one.hour, hour);
      const auto is_it = [&](const ReadingChange& change) { return change.kind == one.kind; };
      found += std::any_of(told.begin(), told.end(), is_it) ? 1 : 0;
      otherwise += std::all_of(told.begin(), told.end(), is_it) ? 0 : 1;
    }
    fmt::print("| {} | {:.1f} % | {:.1f} % |\n", one.hour.name, 100.0 * found / hours, 100.0 * otherwise / hours);
  }
  return 0;
}
