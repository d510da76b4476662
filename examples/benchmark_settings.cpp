// An automated benchmark: plays a game three times with each of several settings and prints what came of it.
// usage: benchmark_settings IDLEMETER STORE SECONDS NAME=VALUE... -- GAME [ARGUMENTS]
// "{}" in the arguments becomes the value:
//   benchmark_settings idlemeter runs.db 60 load=1 load=2 load=4 -- tidepool_rally --load {}
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <string>
#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/store.hpp"

namespace {

using Words = std::vector<std::string>;

/// Runs a program to its end; its exit status.
int run(Words words) {
  std::vector<char*> arguments;
  for (std::string& word : words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  const pid_t child = ::fork();
  if (child == 0) {
    ::execvp(arguments[0], arguments.data());
    ::_exit(127);
  }
  int status = 0;
  ::waitpid(child, &status, 0);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 1;
}

Words with_value(Words game, const std::string& setting) {
  for (std::string& word : game) {
    const std::size_t place = word.find("{}");
    if (place != std::string::npos) word.replace(place, 2, setting.substr(setting.find('=') + 1));
  }
  return game;
}

/// A line for each run with that setting: the newest three.
void print(const std::string& store, const std::string& setting) {
  const idlemeter::Store runs(store, idlemeter::Store::Mode::existing);
  std::vector<idlemeter::RunInfo> all = runs.runs();
  for (std::size_t i = all.size() - std::min<std::size_t>(3, all.size()); i < all.size(); ++i) {
    const idlemeter::RunInsight insight = idlemeter::insight_of(runs, all[i].id);
    const idlemeter::Low* low = insight.summary.low(idlemeter::Share::percent(1));
    std::printf("%-12s run %lld: average %.1f FPS, 1%% low %.1f FPS, %zu stutters, limited by %s, %zu doubts\n",
                setting.c_str(), static_cast<long long>(all[i].id), insight.summary.average_rate.value_or(0),
                low == nullptr ? 0 : low->rate, insight.stutters.frames.size(),
                std::string(name_of(insight.limits.main())).c_str(), insight.doubts.size());
  }
}

}  // namespace

int main(int argc, char** argv) {
  const Words words(argv + 1, argv + argc);
  const auto dashes = std::find(words.begin(), words.end(), "--");
  if (dashes - words.begin() < 4 || words.end() - dashes < 2) {
    std::fputs("usage: benchmark_settings IDLEMETER STORE SECONDS NAME=VALUE... -- GAME [ARGUMENTS]\n", stderr);
    return 2;
  }
  try {
    for (auto setting = words.begin() + 3; setting != dashes; ++setting) {
      Words command = {words[0],   "play", "--quiet",    "--store", words[1], "--for", words[2],
                       "--repeat", "3",    "--end-game", "--set",   *setting, "--"};
      for (const std::string& word : with_value({dashes + 1, words.end()}, *setting)) command.push_back(word);
      if (const int status = run(command); status != 0) return status;
      print(words[1], *setting);
    }
  } catch (const idlemeter::Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
