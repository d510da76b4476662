// A live session's recordings: planned, started, ended, and what became of them.
#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/background_recorder.hpp"
#include "meter/live_session.hpp"

namespace idlemeter::meter {

bool LiveSession::is_recorded(const Game& game) const { return recording_ && &recording_->game() == &game; }

/// Whether the plan is due and the machine's names are known, or have been waited for long enough.
bool LiveSession::may_start(Moment now) const {
  constexpr Nanoseconds kPatience = kSecond / 4;
  if (!planned_ || now < planned_->at || recording_) return false;
  return now - began_ > kPatience || around_.is_machine_known();
}

void LiveSession::start_recording(Game& game, Moment now) {
  const Planned plan = *std::exchange(planned_, std::nullopt);
  const Moment since = std::clamp(game.early_since().value_or(now), std::min(plan.at, now), now);
  const auto until = plan.seconds > 0 ? std::optional(since + from_seconds(plan.seconds)) : std::nullopt;
  recording_ = std::make_shared<Recording>(options_.store, game, around_.machine(), until);
  game.begin_recording(recording_->sink(), since, until);
  notice_.clear();
  log(fmt::format("recording '{}' into {}", game.name(), options_.store.string()));
}

/// Lets it end; what became of it is seen at a later tick.
std::shared_ptr<Recording> LiveSession::stop_recording() {
  const std::shared_ptr<Recording> stopped = std::exchange(recording_, nullptr);
  stopped->game().live().end_recording(now());
  stopped->finish();
  ending_.push_back(stopped);
  return stopped;
}

void LiveSession::look_after_recordings() {
  if (recording_ && recording_->is_done()) {
    Game& game = recording_->game();
    const bool began = recording_->state().run != 0;
    stop_recording();
    if (!began) game.live().abandon_recording();
  }
  std::erase_if(ending_, [this](const auto& one) {
    if (!one->is_done()) return false;
    const BackgroundRecorder::State state = one->state();
    const bool failed = state.phase == BackgroundRecorder::Phase::failed || !state.problem.empty();
    if (failed)
      note_problem(state.run == 0 ? state.problem : fmt::format("run {} ends early: {}", state.run, state.problem));
    if (!failed) log(fmt::format("run {} is recorded", state.run));
    return true;
  });
  for (Game& game : games_) game.set_notice(notice_.empty() ? "" : "not recording: " + notice_);
}

void LiveSession::note_problem(const std::string& problem) {
  constexpr std::size_t kMost = 100;
  log("not recorded: " + problem);
  notice_ = problem;
  ++failures_;
  if (problems_.size() < kMost) problems_.push_back(problem);
}

/// Starts and ends as it was planned.
void LiveSession::record(Moment now) {
  look_after_recordings();
  Game* game = main_game();
  if (game != nullptr && may_start(now)) start_recording(*game, now);
  if (recording_ && recording_->is_over(now)) stop_recording();
}

void LiveSession::plan(double seconds, double after) {
  if (!(seconds >= 0 && seconds <= 86'400 && after >= 0 && after <= 86'400))
    throw Error(Error::Code::invalid, "a recording takes, and waits for, up to a day");
  planned_ = Planned{now() + from_seconds(after), seconds};
}

void LiveSession::end_recordings(Nanoseconds at_most) {
  for (Game& game : games_) drain(game);
  Game* const game = main_game();
  const bool is_due = planned_ && now() >= planned_->at && !recording_;
  if (is_due && game != nullptr && game->early_since()) start_recording(*game, now());
  if (recording_) stop_recording();
  const Moment until = monotonic_now() + at_most;  // the disk's time, whatever the session's clock says
  for (const auto& one : ending_) (void)one->wait(std::max(Nanoseconds{}, until - monotonic_now()));
  look_after_recordings();
  for (const auto& one : std::exchange(ending_, {})) {
    one->give_up();
    note_problem(
        fmt::format("{}: the end of run {} couldn't be written in time; another program may have the store locked",
                    options_.store.string(), one->state().run));
  }
}

}  // namespace idlemeter::meter
