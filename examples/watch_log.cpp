// usage: watch_log STORE RUN [SECONDS]: watches a log that 'idlemeter log' writes, and says what changed as soon as it
// is seen: looks every few seconds (5) until the log is finished.
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <set>
#include <string>
#include <thread>

#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/runs/store.hpp"

int main(int argc, char** argv) {
  using namespace idlemeter;
  if (argc < 3) {
    std::fputs("usage: watch_log STORE RUN [SECONDS]\n", stderr);
    return 2;
  }
  const std::int64_t run = std::atoll(argv[2]);
  const double every = argc > 3 ? std::atof(argv[3]) : 5;
  // The newest seconds may still be taken for another level: a change has to last before it is told.
  constexpr Nanoseconds kSettled = 10 * kSecond, kSame = 30 * kSecond;
  std::set<Moment> told;
  try {
    for (;;) {
      const Store store(argv[1], Store::Mode::existing);
      const RunInfo log = store.run(run);
      for (const ChangeEvent& event : find_changes(store, run).events) {
        // With more seconds a change's moment may move a little.
        const auto near = told.lower_bound(event.at - kSame);
        if (near != told.end() && *near <= event.at + kSame) continue;
        if (!log.finished && event.at > Moment{log.length} - kSettled) continue;
        told.insert(event.at);
        std::printf("%s\n", event_words(event).c_str());
        std::fflush(stdout);
      }
      if (log.finished) break;
      std::this_thread::sleep_for(std::chrono::duration<double>(every));
    }
  } catch (const std::exception& failure) {
    std::fprintf(stderr, "watch_log: %s\n", failure.what());
    return 1;
  }
}
