#include "idlemeter/settings/live_values.hpp"

#include <algorithm>
#include <chrono>
#include <filesystem>

#include "idlemeter/base/file.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/sampler.hpp"
#include "idlemeter/settings/user_sources.hpp"
#include "idlemeter/sources/game_pid.hpp"
#include "idlemeter/sources/machine.hpp"

namespace idlemeter {
namespace {

using namespace std::chrono_literals;

MachineOptions machine_of(const LiveValuesOptions& options) {
  const bool here = options.root == "/";
  return {.root = options.root,
          .game = std::make_shared<GamePid>(options.game),
          .graphics_library = here ? MachineOptions{}.graphics_library : ""};
}

/// As the kernel has it, at most 15 characters.
std::string name_of_process(const std::string& root, int process) {
  constexpr std::size_t kMost = 4096;
  const auto file = std::filesystem::path(root) / "proc" / std::to_string(process) / "comm";
  const std::string text = process > 0 ? read_regular_file(file, kMost).bytes : "";
  return text.substr(0, text.find('\n'));
}

}  // namespace

struct LiveValues::State {
  State(const Settings& settings, const LiveValuesOptions& options)
      : live(settings.computed),
        sampler(sources_with(settings, machine_of(options)), {.pace = settings.pace, .paces = settings.paces}) {
    live.set_game({.name = name_of_process(options.root, options.game)});
    live.ask(options.readings);
    // A share or a rate needs two samples; sources with a slower pace of their own are not waited for any longer.
    sampler.wait(2, std::max<Nanoseconds>(1s, settings.pace + 500ms));
  }

  LiveReadings live;
  Sampler sampler;
};

LiveValues::LiveValues(const Settings& settings, const LiveValuesOptions& options)
    : state_(std::make_unique<State>(settings, options)) {}
LiveValues::LiveValues(LiveValues&&) noexcept = default;
LiveValues::~LiveValues() = default;

void LiveValues::ask(const std::vector<std::string>& readings) { state_->live.ask(readings); }

const Snapshot& LiveValues::update() { return state_->live.update(state_->sampler.snapshot(), monotonic_now()); }

const History& LiveValues::history() const { return state_->live.history(); }

Snapshot readings_here(const Settings& settings, const std::vector<std::string>& ids) {
  LiveReadings live(settings.computed);
  live.ask(ids);
  std::vector<ReadingInfo> later;  // from commands and the feed
  for (const CommandReading& command : settings.commands) later.push_back(command.info);
  for (const std::string& id : ids) {
    if (settings.feed && id.starts_with("feed.")) later.push_back({.id = id});
  }
  Batch batch{std::make_shared<const ReadingList>(later), std::vector<Value>(later.size(), Missing{"not sampled"}), {}};
  Polling machine(machine_sources({.facts = settings.facts}));
  return live.update(machine.sample(monotonic_now()).with(std::make_shared<const Batch>(std::move(batch))),
                     monotonic_now());
}

}  // namespace idlemeter
