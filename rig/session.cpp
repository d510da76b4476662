#include "session.hpp"

#include <fmt/format.h>
#include <stdlib.h>

namespace idlemeter::rig {
namespace {

constexpr Nanoseconds kPace = kSecond / 2;

}  // namespace

/// The machine's files have to be there before sources look for them.
Sources Session::sources(const std::filesystem::path& library) {
  write_tree(machine_, tree_);
  const bool managed = machine_.spec().proprietary;
  if (managed) ::setenv("IDLEMETER_RIG_MANAGED_CARD", (tree_.folder() / kManagedCard).c_str(), 1);
  return machine_sources(
      {.root = tree_.folder(),
       .game = {.pid = kGameProcess, .name = "Tidepool Rally", .api = "OpenGL 4.6", .picture = "2560x1440"},
       .graphics_library = managed ? library.string() : ""});
}

Session::Session(const std::filesystem::path& folder, const GameSettings& settings, const Spec& spec,
                 const std::filesystem::path& library)
    : settings_(settings),
      machine_(spec, settings.seed),
      tree_(folder),
      game_(machine_, settings),
      polling_(sources(library)),
      frames_() {}

void Session::sample(Recorder* recorder) {
  next_sample_ += kPace;
  last_sample_ = game_.now();
  write_tree(machine_, tree_);
  machine_values_ = polling_.sample(game_.now());
  history_.add(machine_values_);
  if (recorder != nullptr) recorder->add(game_.now() - recording_since_, machine_values_);
}

void Session::ask(const std::vector<std::string>& ids) {
  frames_.ask(ids);
  values_ = machine_values_.with(frames_.batch(game_.now()));
}

void Session::play(double seconds, Recorder* recorder) {
  recording_since_ = game_.now();
  if (recorder != nullptr) frames_.begin_recording(game_.now());
  const auto end = game_.now() + static_cast<Nanoseconds>(seconds * kSecond);
  while (game_.now() < end) {
    FrameRecord frame = game_.next_frame();
    frames_.add(frame);
    history_.add("frame.time", frame.at, static_cast<double>(frame.interval) / kMillisecond);
    frame.at -= recording_since_;
    if (recorder != nullptr) recorder->add(frame);
    if (game_.now() >= next_sample_) sample(recorder);
  }
  if (game_.now() - last_sample_ > kPace / 2) sample(nullptr);  // no rate is worth much over less
  values_ = machine_values_.with(frames_.batch(game_.now()));
}

RunDetails Session::details() const {
  RunDetails details;
  details.game = "Tidepool Rally";
  const Spec& spec = machine_.spec();
  details.facts = {
      {"Machine", std::string(spec.name)}, {"Processor", std::string(spec.processor)}, {"Picture", "2560x1440"}};
  if (!spec.graphics.empty()) details.facts["GPU"] = spec.graphics;
  details.settings = {{"Preset", settings_.preset}};
  if (settings_.rate_limit > 0) details.settings["Rate limit"] = fmt::format("{} FPS", settings_.rate_limit);
  return details;
}

}  // namespace idlemeter::rig
