// usage: hitch_causes [HITCHES]: records made-up runs with so many hitches (1,000), whose readings come at several
// paces, and prints how often a reading that causes them is named, and how often readings that don't are.
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <memory>
#include <random>
#include <string>
#include <vector>

#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/recorder.hpp"

namespace {

using namespace idlemeter;

ReadingInfo reading(const char* id, Unit unit) { return {.id = id, .title = id, .unit = unit}; }

/// What a machine does beside the game: the disk reads during each hitch, and the processor is busy by chance for one
/// second in twenty.
class Machine {
 public:
  void add(Moment at, Nanoseconds length, bool is_hitch) {
    read_ += (is_hitch ? 200.0 : 1.0) * in_seconds(length);
    if (at - burst_ >= kSecond) {
      burst_ = at;
      busy_ = any_(random_) < 0.05;
    }
  }

  /// Since the last one.
  std::shared_ptr<const Batch> sample(Moment at) {
    const double seconds = in_seconds(at - sampled_), read = read_ / seconds;
    sampled_ = at;
    read_ = 0;
    load_ = 0.9 * load_ + normal_(random_);
    return std::make_shared<const Batch>(
        Batch{list_, {read * (1 + 0.1 * normal_(random_)), (busy_ ? 90 : 10) + normal_(random_), 50 + 3 * load_}, at});
  }

 private:
  std::mt19937_64 random_{1};
  std::normal_distribution<double> normal_;
  std::uniform_real_distribution<double> any_{0, 1};
  std::shared_ptr<const ReadingList> list_ = std::make_shared<const ReadingList>(
      std::vector{reading("disk.read", Unit::megabyte_per_second), reading("bursts", Unit::percent),
                  reading("wanders", Unit::percent)});
  double read_ = 0, load_ = 0;
  bool busy_ = false;
  Moment burst_{}, sampled_{};
};

std::int64_t record(Store& store, std::size_t hitches, Nanoseconds pace) {
  Moment at{}, next_sample{pace}, next_hitch{10 * kSecond};
  Recorder recorder(store, {.game = "Tidepool Rally"}, [&at] { return at; });
  Machine machine;
  std::mt19937_64 random(2);
  for (std::size_t seen = 0; seen < hitches;) {
    const bool is_hitch = at >= next_hitch;
    const Nanoseconds length = (is_hitch ? 80 : 10) * kMillisecond;
    at += length;
    recorder.add({at, length, kUnknownTime});
    machine.add(at, length, is_hitch);
    if (is_hitch) {
      ++seen;
      next_hitch = at + kSecond * static_cast<std::int64_t>(5 + random() % 30);
    }
    if (at < next_sample) continue;
    next_sample = at + pace;
    recorder.add(at, Snapshot(at, {machine.sample(at)}));
  }
  return recorder.finish();
}

}  // namespace

int main(int argc, char** argv) {
  const std::size_t hitches = argc > 1 ? static_cast<std::size_t>(std::atoi(argv[1])) : 1'000;
  const std::filesystem::path file =
      std::filesystem::temp_directory_path() / ("idlemeter-hitches-" + std::to_string(::getpid()) + ".db");
  fmt::print("{} hitches each\n| readings come every | the cause is named | others are named, a hitch |\n", hitches);
  {
    Store store(file);
    for (const Nanoseconds pace : {kSecond / 10, kSecond / 2, kSecond, 2 * kSecond}) {
      const RunInsight run = insight_of(store, record(store, hitches, pace), {.hitches = hitches});
      std::size_t found = 0, others = 0;
      for (const HitchInsight& one : run.hitches) {
        for (const Oddity& oddity : one.oddities) (oddity.info.id == "disk.read" ? found : others) += 1;
      }
      const auto all = static_cast<double>(run.hitches.size());
      fmt::print("| {:g} s | {:.1f} % | {:.3f} |\n", in_seconds(pace), 100 * static_cast<double>(found) / all,
                 static_cast<double>(others) / all);
    }
  }
  std::filesystem::remove(file);
}
