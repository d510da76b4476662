// A live session: games, their overlays, the recording, and what the user asks for. It knows no loop, no socket and no
// display, and is given its clock and the machine's values.
#pragma once

#include <deque>
#include <functional>
#include <list>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "meter/cues/cue.hpp"
#include "meter/session/attachment.hpp"
#include "meter/session/draw_pace.hpp"
#include "meter/session/game.hpp"
#include "meter/session/recording.hpp"
#include "meter/session/watchers.hpp"

namespace idlemeter::meter {

inline constexpr unsigned kTick = 33;  // milliseconds: traces move at this pace

/// What a session is given.
struct Surroundings {
  std::function<Moment()> clock;           ///< monotonic, the one that frames are stamped with
  std::function<Snapshot()> machine;       ///< its newest values
  std::function<bool()> is_machine_known;  ///< whether every source has answered once
  std::function<void(int pid)> game_is;    ///< called when another process becomes the game that counts
  std::function<void()> let_games_go;      ///< so that another meter may take them
  std::function<void(const Cue&)> cue;     ///< signals it to the player, without waiting for anything
};

/// One thread at a time.
class LiveSession final : public Host {
 public:
  using Answer = std::function<void(const MeterAnswer&)>;

  LiveSession(MeterOptions options, Surroundings surroundings);

  // Games.
  Game* add_game(std::unique_ptr<Attachment> attachment) override;
  void remove_game(Game& game) override;
  [[nodiscard]] const std::list<Game>& games() const { return games_; }

  /// All games there were, with the frames that have come by now.
  [[nodiscard]] std::vector<GameReport> reports();

  /// Takes frames, records, draws and answers what waits; call every kTick.
  void tick();

  /// Carries out a command. Answers once: now, or at a later tick if it has to wait for the store.
  void obey(const MeterCommand& command, Answer answer);

  /// Sends updates at ticks, the first with the next one, until the sink says that its reader is gone. Throws Error if
  /// too many watch.
  void watch(const WatchRequest& request, std::unique_ptr<UpdateSink> sink);

  // Recording. Nothing waits for the store but end_recordings().
  /// Throws Error if the plan can't be.
  void plan(const RecordingPlan& plan);
  /// Whether runs of a plan are still to start.
  [[nodiscard]] bool has_plan() const { return planned_.has_value(); }
  /// Whether there was a plan, and all its runs are on the disk or have failed.
  [[nodiscard]] bool is_done_with_plan() const { return had_plan_ && !planned_ && !recording_ && ending_.empty(); }
  /// Every recording that has ended.
  [[nodiscard]] const std::vector<RecordedRun>& recorded() const { return recorded_; }
  /// Ends the recording and waits for the disk, for so long.
  void end_recordings(Nanoseconds at_most);
  [[nodiscard]] const std::vector<std::string>& recording_problems() const { return problems_; }

 private:
  /// A plan with runs that are still to start.
  struct Planned {
    RecordingPlan how;
    std::optional<Moment> at;  ///< when the next starts; empty: a while after the first frame, or at a mark
    Moment made{};
    int done = 0;
    bool is_silent = false;  ///< no frame has been seen for long: it was reported
  };

  [[nodiscard]] bool is_due(Moment now) const { return planned_ && planned_->at && now >= *planned_->at; }
  void settle_plan(const Game& game);
  void look_for_silence(Moment now);

  /// The answer to a command: now, or as soon as `later` has one, at the latest when the time is up.
  struct Reply {
    MeterAnswer now;
    std::function<std::optional<MeterAnswer>()> later = {};
  };
  struct Waiting {
    Reply reply;
    Moment until{};
    Answer answer;
  };

  [[nodiscard]] Moment now() const { return surroundings_.clock(); }
  void log(const std::string& line) const;
  void cue(Cue::Kind kind, std::string text, std::string about) const;

  [[nodiscard]] WatchedFace face_for(int pid) const;
  static GameReport report(const Game& game, bool over);
  [[nodiscard]] Game* main_game();
  void drain(Game& game);
  void redraw(Moment now);

  [[nodiscard]] bool is_recorded(const Game& game) const;
  [[nodiscard]] bool may_start(Moment now) const;
  void start_recording(Game& game, Moment now);
  std::shared_ptr<Recording> stop_recording(RunEnd end);
  void look_after_recordings();
  void note_problem(const std::string& problem, const std::string& what = "not recorded");
  void record(Moment now);
  [[nodiscard]] std::string plan_in_words(Moment now) const;
  [[nodiscard]] RunNotes notes() const;

  void answer_waiting(Moment now);
  Reply act(const MeterCommand& command);
  MeterAnswer set_visible(bool visible);
  MeterAnswer mark(const std::string& about);
  MeterAnswer add_notes(const RunNotes& notes);
  [[nodiscard]] std::string next_face();
  MeterAnswer choose_face(std::string name);
  Reply change_recording(const MeterCommand& command);
  Reply end_recording();
  Reply begin_recording(const RecordingPlan& wanted);
  MeterAnswer hand_over();
  [[nodiscard]] std::optional<RecordingState> state_of_recording() const;
  [[nodiscard]] MeterState state();

  MeterOptions options_;
  Surroundings surroundings_;
  Moment began_;
  std::list<Game> games_;
  std::vector<GameReport> finished_;
  int game_pid_ = 0;  // the last one that game_is() was called with
  Painter painter_;
  DrawPace pace_;
  bool visible_;
  bool was_visible_ = true;  // before a recording that hides the overlay
  Moment text_due_{};

  std::optional<Planned> planned_;
  bool had_plan_ = false;
  int number_ = 1, of_ = 1;  // of the recording in progress, within its plan
  std::vector<RecordedRun> recorded_;
  std::shared_ptr<Recording> recording_;
  std::deque<std::shared_ptr<Recording>> ending_;  // asked to end; their last frames are on the way to the disk
  std::vector<std::string> problems_;              // of all recordings: why each failed or had to end early
  std::size_t failures_ = 0;                       // how many, including those beyond what is kept
  std::string notice_;                             // the last of them, until another recording starts
  std::list<Waiting> waiting_;
  Watchers watchers_;
};

}  // namespace idlemeter::meter
