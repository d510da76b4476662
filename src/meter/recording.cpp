#include "meter/recording.hpp"

#include <vector>

#include "link/handover.hpp"
#include "meter/game.hpp"

namespace idlemeter::meter {
namespace {

constexpr Nanoseconds kValuesEvery = kSecond / 2;

RunDetails details_of(const Game& game, const Snapshot& values) {
  RunDetails details;
  details.game = game.name();
  details.facts = {{"Picture", game.picture()}, {"Graphics API", game.attachment().api()}};
  const std::pair<const char*, const char*> kFacts[] = {{"Processor", "cpu.name"}, {"GPU", "gpu.name"}};
  for (const auto& [name, id] : kFacts) {
    const Snapshot::Entry entry = values.find(id);
    const auto* text = entry.value == nullptr ? nullptr : std::get_if<std::string>(entry.value);
    if (text != nullptr) details.facts[name] = *text;
  }
  return details;
}

}  // namespace

Recording::Recording(const std::filesystem::path& store, Game& game, const Snapshot& values, double seconds,
                     Nanoseconds since)
    : game_(game),
      recorder_(store, details_of(game, values), &link::now),
      since_(since),
      until_(seconds > 0 ? since + static_cast<Nanoseconds>(seconds * kSecond) : 0) {}

void Recording::add(std::span<const FrameRecord> frames) {
  std::vector<FrameRecord> within;
  within.reserve(frames.size());
  for (FrameRecord frame : frames) {
    if (frame.at < since_ || (until_ > 0 && frame.at > until_)) continue;
    frame.at -= since_;
    within.push_back(frame);
  }
  recorder_.add(within);
}

void Recording::add(const Snapshot& values, Nanoseconds now) {
  if (now < values_due_) return;
  values_due_ = now + kValuesEvery;
  recorder_.add(now - since_, values);
}

int Recording::mark() {
  values_due_ = 0;
  return ++marks_;
}

bool Recording::is_done() const {
  const auto phase = recorder_.state().phase;
  return phase == BackgroundRecorder::Phase::finished || phase == BackgroundRecorder::Phase::failed;
}

}  // namespace idlemeter::meter
