// usage: endless_recording STORE: records 100 FPS on a virtual clock until it is killed, and prints the time after each
// frame.
#include <stdio.h>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"

int main(int argc, char** argv) {
  using namespace idlemeter;
  if (argc != 2) return 2;
  Store store(argv[1]);
  Moment now{};
  Recorder recorder(store, {.game = "Tidepool Rally"}, [&now] { return now; });
  const auto list =
      std::make_shared<const ReadingList>(std::vector<ReadingInfo>{{"gpu.temp", "GPU temperature", "GPU", "Marl G9"}});
  for (int frame = 1;; ++frame) {
    now += 10 * kMillisecond;
    recorder.add({now, 10 * kMillisecond, 8 * kMillisecond});
    if (frame % 50 == 0) recorder.add(now, Snapshot(now, {std::make_shared<Batch>(Batch{list, {60.0}, now})}));
    printf("%lld\n", static_cast<long long>(now.time_since_epoch().count()));
    fflush(stdout);
  }
}
