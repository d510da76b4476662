// usage: large_run STORE FRAMES: a made-up run of that many frames at about 200 a second, with GPU times, stutters and
// four readings.
#include <fmt/format.h>

#include <cmath>
#include <cstdlib>
#include <random>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"

int main(int argc, char** argv) {
  using namespace idlemeter;
  if (argc != 3) return 2;
  Store store(argv[1]);
  Moment now{};
  Recorder recorder(store, {.game = "Tidepool Rally", .facts = {{"Machine", "Bramble"}}}, [&now] { return now; });
  std::vector<ReadingInfo> infos;
  for (const char* id : {"gpu.load", "gpu.temp", "gpu.power", "cpu.power"})
    infos.push_back({id, id, id, "Bramble", DeviceKind::system, Unit::none, "made up"});
  const auto list = std::make_shared<const ReadingList>(infos);
  std::mt19937_64 random(7);
  std::normal_distribution<double> noise;
  double wave = 0;
  Moment sample{};
  for (long i = std::atol(argv[2]); i > 0; --i) {
    wave += 0.02 * noise(random) - 0.01 * wave;
    const double stutter = random() % 4'000 == 0 ? 6 : 1;
    const double ms = std::max(1.0, 5 * stutter * (1 + 0.4 * wave + 0.03 * noise(random)));
    const Nanoseconds interval = from_seconds(ms / 1e3);
    now += interval;
    recorder.add({now, interval, from_seconds(ms / 1e3 * (wave > 0 ? 0.97 : 0.7))});
    if (now < sample) continue;
    sample += kSecond / 2;
    std::vector<Value> values;
    for (const double usual : {90.0, 70.0, 210.0, 60.0}) values.emplace_back(usual + noise(random));
    recorder.add(now, Snapshot(now, {std::make_shared<Batch>(Batch{list, values, now})}));
  }
  recorder.finish();
}
