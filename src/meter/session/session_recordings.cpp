// A live session's recordings: planned, started, ended, and what became of them.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/results_file.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/background_recorder.hpp"
#include "meter/session/live_session.hpp"

namespace idlemeter::meter {

namespace fs = std::filesystem;

bool LiveSession::is_recorded(const Game& game) const { return recording_ && &recording_->game() == &game; }

/// Whether the plan is due and the machine's names are known, or have been waited for long enough.
bool LiveSession::may_start(Moment now) const {
  constexpr Nanoseconds kPatience = kSecond / 4;
  if (!is_due(now) || recording_) return false;
  return now - began_ > kPatience || surroundings_.is_machine_known();
}

/// Starts the plan's time at the first frame, so that a loader doesn't count. If frames can't be seen, it starts now.
void LiveSession::settle_plan(const Game& game) {
  if (!planned_ || planned_->at || planned_->how.at_mark) return;
  const bool is_blind = game.has_picture() && !game.attachment().blind().empty();
  const std::optional<Moment> first = is_blind ? now() : game.first_frame();
  if (first) planned_->at = std::max(planned_->made, *first) + planned_->how.after;
}

/// A game that draws in a way that isn't seen would keep a plan waiting without a word.
void LiveSession::look_for_silence(Moment now) {
  constexpr Nanoseconds kPatience = 15 * kSecond;
  const bool waits = planned_ && !planned_->at && !planned_->how.at_mark && !planned_->is_silent;
  if (!waits || now - planned_->made < kPatience) return;
  planned_->is_silent = true;
  log("no frame was seen in 15 s: nothing is recorded yet");
  cue(Cue::Kind::failure, "no frame seen", "nothing is recorded yet");
  if (options_.is_silent) options_.is_silent();
}

/// The notes that every run gets, and those of the plan.
RunNotes LiveSession::notes() const {
  const RecordingChoices& usual = options_.settings.recording;
  RunNotes notes = planned_->how.notes;
  notes.settings.insert(usual.settings.begin(), usual.settings.end());
  notes.tags.insert(notes.tags.end(), usual.tags.begin(), usual.tags.end());
  if (notes.note.empty()) notes.note = usual.note;
  return notes;
}

void LiveSession::start_recording(Game& game, Moment now) {
  Planned& plan = *planned_;
  // At a present: half a frame isn't recorded.
  const Moment since = std::min(game.early_since().value_or(now), now);
  const auto until = plan.how.length ? std::optional(since + *plan.how.length) : std::nullopt;
  BackgroundRecorder::Finished finished;
  if (!options_.settings.recording.results.empty())
    finished = [settings = options_.settings](const Store& store, std::int64_t run) {
      const auto chosen = settings.figures.find(settings.recording.figures);
      if (chosen == settings.figures.end()) return append_result(settings.recording.results, insight_of(store, run));
      const FigureSet set(chosen->second);
      append_result(settings.recording.results, insight_of(store, run, {.figures = set.request()}), &set);
    };
  recording_ =
      std::make_shared<Recording>(options_.store, game, surroundings_.machine(), notes(), until, std::move(finished));
  game.begin_recording(recording_->sink(), since, until);
  number_ = ++plan.done;
  of_ = plan.how.repeat;
  if (plan.done == plan.how.repeat) planned_.reset();
  notice_.clear();
  if (options_.settings.recording.hides_overlay) was_visible_ = std::exchange(visible_, false);
  log(fmt::format("recording '{}' into {}", game.name(), options_.store.string()));
  cue(Cue::Kind::start, of_ > 1 ? fmt::format("recording {} of {}", number_, of_) : "recording", game.name());
}

/// Lets it end; what became of it is seen at a later tick. The plan's next run waits for its pause.
std::shared_ptr<Recording> LiveSession::stop_recording(RunEnd end) {
  const std::shared_ptr<Recording> stopped = std::exchange(recording_, nullptr);
  stopped->game().live().end_recording(now());
  stopped->finish(end);
  ending_.push_back(stopped);
  if (end != RunEnd::store_failed)
    cue(Cue::Kind::end, of_ > 1 ? fmt::format("recording {} of {} ended", number_, of_) : "recording ended",
        stopped->game().name());
  if (planned_) planned_->at = now() + planned_->how.pause;
  if (options_.settings.recording.hides_overlay) visible_ = was_visible_;
  return stopped;
}

void LiveSession::look_after_recordings() {
  if (recording_ && recording_->is_done()) {
    Game& game = recording_->game();
    const bool began = recording_->state().run != 0;
    stop_recording(RunEnd::store_failed);
    if (!began) game.live().abandon_recording();
  }
  while (!ending_.empty() && ending_.front()->is_done()) {  // reported in their order
    const auto one = ending_.front();
    ending_.pop_front();
    const BackgroundRecorder::State state = one->state();
    const bool failed = state.phase == BackgroundRecorder::Phase::failed || !state.problem.empty();
    recorded_.push_back({state.run, failed ? std::nullopt : one->end(), one->is_short(), state.problem});
    if (failed)
      note_problem(state.run == 0 ? state.problem : fmt::format("run {} ends early: {}", state.run, state.problem));
    if (!failed) log(fmt::format("run {} is recorded", state.run));
    if (!state.problem_after.empty())
      note_problem(state.problem_after, fmt::format("run {} is recorded, but not its results", state.run));
  }
  for (Game& game : games_) game.set_notice(notice_.empty() ? "" : "not recording: " + notice_);
}

void LiveSession::note_problem(const std::string& problem, const std::string& what) {
  constexpr std::size_t kMost = 100;
  log(what + ": " + problem);
  cue(Cue::Kind::failure, what, problem);
  notice_ = problem;
  ++failures_;
  if (problems_.size() < kMost) problems_.push_back(what + ": " + problem);
}

/// "recording 2 of 5, 34 s left", "recording starts in 12 s"; nothing if nothing is planned.
std::string LiveSession::plan_in_words(Moment now) const {
  const auto whole = [](Nanoseconds length) { return std::ceil(std::max(0.0, in_seconds(length))); };
  if (recording_ && of_ > 1)
    return fmt::format("recording {} of {}, {:.0f} s left", number_, of_, whole(*recording_->until() - now));
  if (recording_ || !planned_ || is_due(now)) return "";
  if (!planned_->at) return planned_->how.at_mark ? "recording starts at a mark" : "";
  if (planned_->how.repeat == 1) return fmt::format("recording starts in {:.0f} s", whole(*planned_->at - now));
  return fmt::format("{}run {} of {} starts in {:.0f} s", planned_->done > 0 ? "pause: " : "", planned_->done + 1,
                     planned_->how.repeat, whole(*planned_->at - now));
}

/// Starts and ends as it was planned.
void LiveSession::record(Moment now) {
  look_after_recordings();
  look_for_silence(now);
  Game* game = main_game();
  if (game != nullptr && may_start(now)) start_recording(*game, now);
  if (recording_ && recording_->is_over(now)) stop_recording(RunEnd::time);
  for (Game& one : games_) one.set_status(&one == game ? plan_in_words(now) : "");
}

void LiveSession::plan(const RecordingPlan& plan) {
  if (const std::string problem = problem_with(plan); !problem.empty()) throw Error(Error::Code::invalid, problem);
  planned_ = Planned{plan, std::nullopt, now()};
  if (const Game* game = main_game()) settle_plan(*game);
  had_plan_ = true;
}

void LiveSession::end_recordings(Nanoseconds at_most) {
  for (Game& game : games_) drain(game);
  Game* const game = main_game();
  const bool may_be_short = is_due(now()) && !recording_;
  if (may_be_short && game != nullptr && game->early_since()) start_recording(*game, now());
  if (recording_) stop_recording(RunEnd::asked);
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
