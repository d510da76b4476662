// The commands of a live session, from the control socket and from keys.
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/runs/background_recorder.hpp"
#include "meter/session/live_session.hpp"

namespace idlemeter::meter {
namespace {

namespace fs = std::filesystem;
using What = MeterCommand::What;
using Record = MeterCommand::Record;

constexpr Nanoseconds kAnswerWithin = 1'500 * kMillisecond;  // the client waits for two seconds

MeterAnswer failure(std::string why, Error::Code code) {
  MeterAnswer answer;
  answer.error = std::move(why);
  answer.code = code;
  return answer;
}

}  // namespace

void LiveSession::obey(const MeterCommand& command, Answer answer) {
  Reply reply;
  try {
    reply = act(command);
  } catch (const Error& error) {
    reply.now = failure(error.what(), error.code());
  } catch (const std::exception& error) {
    reply.now = failure(error.what(), Error::Code::failed);
  }
  if (reply.later) {
    waiting_.push_back({std::move(reply), now() + kAnswerWithin, std::move(answer)});
  } else {
    answer(reply.now);
  }
}

void LiveSession::answer_waiting(Moment now) {
  for (auto one = waiting_.begin(); one != waiting_.end();) {
    auto answer = one->reply.later();
    if (!answer && now >= one->until) answer = one->reply.now;
    if (answer) {
      const Waiting done = std::move(*one);
      one = waiting_.erase(one);
      done.answer(*answer);
    } else {
      ++one;
    }
  }
}

LiveSession::Reply LiveSession::act(const MeterCommand& command) {
  switch (command.what) {
    case What::show:
    case What::hide:
    case What::toggle:
      return {set_visible(command.what == What::show || (command.what == What::toggle && !visible_))};
    case What::clear:
      for (Game& game : games_) game.live().clear();
      return {};
    case What::mark:
      return {mark(command.mark)};
    case What::note:
      return {add_notes(command.plan.notes)};
    case What::face:
      return {choose_face(command.face)};
    case What::record:
      return change_recording(command);
    case What::hand_over:
      return {hand_over()};
    case What::state:
      return {MeterAnswer{.state = state()}};
    case What::watch:
      throw Error(Error::Code::invalid, "updates go to a connection: use watch()");
  }
  return {};
}

MeterAnswer LiveSession::set_visible(bool visible) {
  visible_ = visible;
  text_due_ = {};
  tick();
  return {.visible = visible_};
}

MeterAnswer LiveSession::mark(const std::string& about) {
  MeterAnswer answer;
  if (!recording_ && planned_) {  // the moment that the recording waited for, or an earlier one
    planned_->at = now();
    answer.marks = 0;
    record(now());
    return answer;
  }
  if (!recording_)
    throw Error(Error::Code::refused, "nothing is being recorded", "", "start a recording", Error::Hint::record);
  answer.marks = recording_->game().live().mark(about);
  cue(Cue::Kind::mark, fmt::format("mark {}", *answer.marks), about);
  text_due_ = {};
  tick();
  return answer;
}

MeterAnswer LiveSession::add_notes(const RunNotes& notes) {
  if (!recording_ && !planned_)
    throw Error(Error::Code::refused, "nothing is being recorded or planned", "", "start a recording",
                Error::Hint::record);
  if (planned_) planned_->how.notes.add(notes);
  MeterAnswer answer;
  if (!recording_) return answer;
  recording_->add(notes);
  answer.run = recording_->state().run;
  return answer;
}

/// The one after the face that is shown; the first if it is none of them.
std::string LiveSession::next_face() {
  const auto& faces = options_.faces;
  if (faces.empty()) throw Error(Error::Code::not_found, "there is no other face");
  const Game* game = main_game();
  for (std::size_t i = 0; game != nullptr && i < faces.size(); ++i) {
    if (options_.file_of(faces[i]) == game->face().file()) return faces[(i + 1) % faces.size()];
  }
  return faces.front();
}

MeterAnswer LiveSession::choose_face(std::string name) {
  if (name.empty()) name = next_face();
  const fs::path file = options_.file_of(name);
  (void)load_face(file);
  for (Game& game : games_) game.set_face(WatchedFace(file, name));
  MeterAnswer answer;
  answer.face = std::move(name);
  return answer;
}

LiveSession::Reply LiveSession::change_recording(const MeterCommand& command) {
  const bool stops = command.record == Record::stop || (command.record == Record::toggle && recording_);
  return stops ? end_recording() : begin_recording(command.plan);
}

/// Answered once all of it is in the store.
LiveSession::Reply LiveSession::end_recording() {
  Reply reply;
  const bool was_planned = std::exchange(planned_, std::nullopt).has_value();
  if (!recording_ && !was_planned) throw Error(Error::Code::refused, "nothing is being recorded");
  if (!recording_) return reply;
  const std::shared_ptr<Recording> stopped = stop_recording(RunEnd::asked);
  reply.now.run = stopped->state().run;
  reply.now.finished = false;
  reply.later = [stopped]() -> std::optional<MeterAnswer> {
    if (!stopped->is_done()) return std::nullopt;
    const auto state = stopped->state();
    if (!state.problem.empty()) return failure(state.problem, Error::Code::failed);
    if (!state.problem_after.empty())
      return failure(fmt::format("run {} is recorded, but not its results: {}", state.run, state.problem_after),
                     Error::Code::unwritable);
    MeterAnswer done;
    done.run = state.run;
    done.finished = true;
    return done;
  };
  return reply;
}

/// Answered once the store has taken it, if it begins now.
LiveSession::Reply LiveSession::begin_recording(const RecordingPlan& wanted) {
  Reply reply;
  if (recording_)
    throw Error(Error::Code::refused, fmt::format("run {} is being recorded", recording_->state().run), "",
                "stop it first");
  plan(wanted);
  record(now());
  if (wanted.after > Nanoseconds{} || wanted.at_mark || main_game() == nullptr) return reply;
  reply.later = [this, before = failures_]() -> std::optional<MeterAnswer> {
    MeterAnswer begun;
    if (failures_ > before) return failure(notice_, Error::Code::failed);
    if (!recording_) return planned_ ? std::nullopt : std::optional(begun);
    if (recording_->state().phase == BackgroundRecorder::Phase::opening) return std::nullopt;
    begun.run = recording_->state().run;
    if (games_.size() > 1) begun.game = recording_->game().name();
    return begun;
  };
  return reply;
}

MeterAnswer LiveSession::hand_over() {
  if (games_.empty()) throw Error(Error::Code::not_found, "no game is connected");
  if (options_.above)
    throw Error(Error::Code::refused, "a window above a game can't be handed over", "", "end this meter");
  surroundings_.let_games_go();
  return {};
}

std::optional<RecordingState> LiveSession::state_of_recording() const {
  RecordingState about;
  if (planned_ && !recording_) {
    about.starts_in = planned_->at ? std::max(Nanoseconds{}, *planned_->at - now()) : planned_->how.after;
    if (!planned_->at)
      about.waits_for = planned_->how.at_mark ? "a mark"
                        : planned_->is_silent ? "the first frame, which hasn't been seen for over 15 s"
                                              : "the first frame";
    about.number = planned_->done + 1;
    about.of = planned_->how.repeat;
    return about;
  }
  if (!recording_ && ending_.empty()) return std::nullopt;
  if (!recording_) {
    about.phase = RecordingState::Phase::ending;
    about.run = ending_.back()->state().run;
    return about;
  }
  const auto state = recording_->state();
  about.phase = state.phase == BackgroundRecorder::Phase::opening ? RecordingState::Phase::opening
                                                                  : RecordingState::Phase::recording;
  about.pid = recording_->game().pid();
  about.run = state.run;
  about.number = number_;
  about.of = of_;
  if (recording_->until()) about.left = std::max(Nanoseconds{}, *recording_->until() - now());
  return about;
}

void LiveSession::watch(const WatchRequest& request, std::unique_ptr<UpdateSink> sink) {
  watchers_.add(request, std::move(sink), now());
}

MeterState LiveSession::state() {
  MeterState state{.pid = ::getpid(), .visible = visible_};
  for (const Game& game : games_) {
    const Summary summary = game.whole();
    GameState one{.pid = game.pid(),
                  .name = game.name(),
                  .api = game.attachment().api(),
                  .picture = game.picture(),
                  .frames = game.presents(),
                  .lost = game.lost(),
                  .refused = game.refused(),
                  .face = game.face().name()};
    one.average_fps = summary.average_rate;
    if (const Low* low = summary.low(Share{10'000})) one.low_1_percent_fps = low->rate;
    one.frame_times = game.frame_times();
    one.frames_unknown = game.attachment().blind();
    one.mistake = game.face().mistake();
    state.games.push_back(std::move(one));
  }
  state.recording = state_of_recording();
  state.recording_problem = notice_;
  return state;
}

}  // namespace idlemeter::meter
