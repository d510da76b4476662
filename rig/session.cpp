#include "session.hpp"

#include <fmt/format.h>

namespace idlemeter::rig {
namespace {

constexpr Nanoseconds kPace = kSecond / 2;

/// The machine's files have to be there before sources look for them.
Sources sources_of(Machine& machine, Tree& tree) {
  machine.write(tree);
  return machine_sources({.root = tree.folder()});
}

}  // namespace

Session::Session(const std::filesystem::path& folder, const GameSettings& settings)
    : settings_(settings),
      machine_(settings.seed),
      tree_(folder),
      game_(machine_, settings),
      polling_(sources_of(machine_, tree_)),
      frames_(LiveFrames::growing()) {}

void Session::sample(Recorder* recorder) {
  next_sample_ += kPace;
  machine_.write(tree_);
  const Snapshot machine = polling_.sample(game_.now());
  auto frames = frames_.batch(game_.now());
  values_ = machine.with(frames);
  history_.add(machine);  // of frames, every single one is in the history already
  if (recorder != nullptr) recorder->add(game_.now() - recording_since_, machine);
}

void Session::play(double seconds, Recorder* recorder) {
  recording_since_ = game_.now();
  frames_.clear();
  const auto end = game_.now() + static_cast<Nanoseconds>(seconds * kSecond);
  while (game_.now() < end) {
    FrameRecord frame = game_.next_frame();
    frames_.add(frame);
    history_.add("frame.time", frame.at, static_cast<double>(frame.interval) / kMillisecond);
    frame.at -= recording_since_;
    if (recorder != nullptr) recorder->add(frame);
    if (game_.now() >= next_sample_) sample(recorder);
  }
  sample(nullptr);
}

RunDetails Session::details() const {
  RunDetails details;
  details.game = "Tidepool Rally";
  details.facts = {{"Machine", "Bramble"}, {"Processor", "Corvid 8"}, {"GPU", "Marl G9"}, {"Picture", "2560x1440"}};
  details.settings = {{"Preset", settings_.preset}};
  if (settings_.rate_limit > 0) details.settings["Rate limit"] = fmt::format("{} FPS", settings_.rate_limit);
  return details;
}

}  // namespace idlemeter::rig
