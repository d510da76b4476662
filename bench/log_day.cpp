// usage: log_day [HOURS [STORE]]: logs 250 made-up readings twice a second for a day of virtual time. Prints the
// store's size, by how much the memory grew after the first tenth, and how much of a core it would take. Leaves a named
// store.
#include <fmt/format.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/reading_log.hpp"

namespace {

double resident_mebibytes() {
  std::ifstream status("/proc/self/statm");
  long pages = 0, resident = 0;
  status >> pages >> resident;
  return static_cast<double>(resident * ::sysconf(_SC_PAGESIZE)) / (1024 * 1024);
}

}  // namespace

int main(int argc, char** argv) {
  using namespace idlemeter;
  const double hours = argc > 1 ? std::atof(argv[1]) : 24;
  const std::filesystem::path scratch =
      std::filesystem::temp_directory_path() / ("idlemeter-log-" + std::to_string(::getpid()) + ".db");
  const std::filesystem::path file = argc > 2 ? argv[2] : scratch;
  std::vector<ReadingInfo> infos;
  for (int i = 0; i < 250; ++i) infos.push_back({.id = "a.r" + std::to_string(i), .title = "made up"});
  const auto list = std::make_shared<const ReadingList>(infos);
  std::vector<double> values(250, 40);
  std::mt19937_64 random(7);
  Moment at{};
  double first = 0;
  const auto samples = static_cast<long>(hours * 7'200);
  Nanoseconds taken{};
  {
    ReadingLog log(file, {}, {}, [&at] { return at; });
    for (long i = 0; i < samples; ++i) {
      at += kSecond / 2;
      // A quarter stands still, the rest waver around 40 by a few of their steps.
      for (std::size_t r = 0; r < values.size(); ++r) {
        const double way = static_cast<double>(static_cast<int>(random() % 9) - 4) - 2 * (values[r] - 40);
        values[r] += r % 4 == 0 ? 0 : 0.125 * std::round(way);
      }
      const Snapshot snapshot(at, {std::make_shared<const Batch>(Batch{list, {values.begin(), values.end()}, at})});
      const Moment begin = monotonic_now();
      log.add(at, snapshot);
      taken += monotonic_now() - begin;
      if (i == samples / 10) first = resident_mebibytes();
    }
    log.finish();
  }
  fmt::print("{:g} hours: {:.1f} MB, {:.1f} MiB more memory after a tenth, {:.2f} % of a core\n", hours,
             static_cast<double>(std::filesystem::file_size(file)) / 1e6, resident_mebibytes() - first,
             100 * in_seconds(taken) / (3'600 * hours));
  if (file == scratch) std::filesystem::remove(file);
}
