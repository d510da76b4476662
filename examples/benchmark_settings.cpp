// An automated benchmark: plays a game three times with each of several settings and prints what came of it.
// usage: benchmark_settings STORE SECONDS NAME=VALUE... -- GAME [ARGUMENTS]
// "{}" in the arguments becomes the value:
//   benchmark_settings runs.db 60 load=1 load=2 load=4 -- tidepool_rally --load {}
#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <vector>

#include "idlemeter/meter.hpp"
#include "idlemeter/runs.hpp"

namespace {

using namespace idlemeter;
using Words = std::vector<std::string>;

Words with_value(Words game, const std::string& value) {
  for (std::string& word : game) {
    const std::size_t place = word.find("{}");
    if (place != std::string::npos) word.replace(place, 2, value);
  }
  return game;
}

/// Plays and records three runs. False if one is missing or short.
bool play(const std::string& file, double seconds, const std::string& setting, const Words& game) {
  const std::size_t equals = setting.find('=');
  const std::string value = setting.substr(equals + 1);
  PlayOptions options{.store = file, .ends_game = true};
  options.plan = RecordingPlan{.length = from_seconds(seconds), .repeat = 3};
  options.plan->notes.settings[setting.substr(0, equals)] = value;
  const PlayReport report = play_game(with_value(game, value), options);
  if (report.not_started) throw *report.not_started;
  const Store store(file);
  for (const RecordedRun& run : report.runs)
    std::printf("%-12s %s\n", setting.c_str(), recorded_words(store, run.run).c_str());
  return report.is_complete();
}

}  // namespace

int main(int argc, char** argv) {
  const Words words(argv + 1, argv + argc);
  const auto dashes = std::find(words.begin(), words.end(), "--");
  if (dashes - words.begin() < 3 || words.end() - dashes < 2) {
    std::fputs("usage: benchmark_settings STORE SECONDS NAME=VALUE... -- GAME [ARGUMENTS]\n", stderr);
    return 2;
  }
  try {
    bool complete = true;
    for (auto setting = words.begin() + 2; setting != dashes; ++setting)
      complete = play(words[0], std::atof(words[1].c_str()), *setting, {dashes + 1, words.end()}) && complete;
    return complete ? 0 : 3;
  } catch (const Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
