#include "meter/session/watchers.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"

namespace idlemeter::meter {
namespace {

constexpr Nanoseconds kDueEarly = 10 * kMillisecond;  // a third of the session's pace: sooner rather than a tick later

MeterState without_histograms(MeterState state) {
  for (GameState& game : state.games) game.frame_times = {};
  return state;
}

}  // namespace

void Watchers::add(const WatchRequest& request, std::unique_ptr<UpdateSink> sink, Moment now) {
  if (watchers_.size() >= limits::kWatchers)
    throw Error(Error::Code::refused, fmt::format("{} others watch this meter already", limits::kWatchers), "",
                "end one of them");
  watchers_.push_back({request, std::move(sink), now});
}

void Watchers::add(const Game& game, std::span<const FrameRecord> frames) {
  for (Watcher& watcher : watchers_) {
    if (!watcher.request.frames || frames.empty()) continue;
    Kept& kept = watcher.kept[&game];
    kept.frames.insert(kept.frames.end(), frames.begin(), frames.end());
    if (kept.frames.size() <= limits::kWatchedFrames) continue;
    const std::size_t surplus = kept.frames.size() - limits::kWatchedFrames;
    kept.frames.erase(kept.frames.begin(), kept.frames.begin() + static_cast<std::ptrdiff_t>(surplus));
    kept.skipped += surplus;
  }
}

void Watchers::remove(const Game& game) {
  for (Watcher& watcher : watchers_) watcher.kept.erase(&game);
}

MeterUpdate Watchers::update_for(Watcher& watcher, const std::list<Game>& games, const MeterState& state,
                                 const Snapshot& machine) {
  MeterUpdate update{.state = state};
  for (const std::string& id : watcher.request.readings) {
    if (const auto found = machine.find(id); found.info != nullptr) update.values[id] = *found.value;
  }
  for (const Game& game : games) {
    MeterUpdate::Game& one = update.games.emplace_back();
    Kept kept = std::exchange(watcher.kept[&game], {});
    one.frames = std::move(kept.frames);
    one.frames_skipped = kept.skipped;
    for (const std::string& id : watcher.request.readings) {
      if (update.values.contains(id)) continue;
      if (const auto found = game.live().values().find(id); found.info != nullptr) one.values[id] = *found.value;
    }
  }
  return update;
}

void Watchers::send(Moment now, const std::list<Game>& games, const std::function<MeterState()>& state,
                    const std::function<Snapshot()>& machine) {
  std::optional<MeterState> known;
  std::optional<Snapshot> values;
  for (auto one = watchers_.begin(); one != watchers_.end();) {
    Watcher& watcher = *one;
    const UpdateSink::Reader reader = watcher.sink->reader();
    if (reader == UpdateSink::Reader::gone) {
      one = watchers_.erase(one);
      continue;
    }
    ++one;
    if (reader == UpdateSink::Reader::busy || now + kDueEarly < watcher.due) continue;
    if (!known) known = without_histograms(state());
    if (!values) values = machine();
    MeterUpdate update = update_for(watcher, games, *known, *values);
    update.at = now;
    watcher.sink->send(update);
    watcher.due = std::max(watcher.due + watcher.request.every, now);
  }
}

}  // namespace idlemeter::meter
