// A live session: games, their overlays, the recording, and what the user says.
#pragma once

#include <functional>
#include <list>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>

#include "idlemeter/meter.hpp"
#include "meter/control.hpp"
#include "meter/draw_pace.hpp"
#include "meter/game.hpp"
#include "meter/keys.hpp"
#include "meter/loop.hpp"
#include "meter/recording.hpp"

namespace idlemeter::meter {

inline constexpr unsigned kTick = 33;  // milliseconds: traces move at this pace

/// One thread at a time: the loop's.
struct Session : Host {
  MeterOptions options;
  Loop loop{[this](const char* mistake) { complain(mistake); }};
  std::list<Game> games;
  std::vector<GameReport> over;
  Painter painter;
  std::unique_ptr<Sampler> sampler;
  std::string sampled;  // what the sampler was told of the game
  Nanoseconds sampled_at = 0;
  bool visible = true;
  Nanoseconds text_due = 0, complained_at = -kSecond;
  std::unique_ptr<Keys> keys;
  std::unique_ptr<Control> control;
  std::unique_ptr<Entrance> entrance;
  std::shared_ptr<Recording> recording;
  std::vector<std::shared_ptr<Recording>> ending;  // asked to end; their last frames are on the way to the disk
  struct Planned {
    Nanoseconds at = 0;
    double seconds = 0;
  };
  std::optional<Planned> planned;
  std::vector<std::string> problems;  // of all recordings: why each failed or had to end early
  std::size_t failures = 0;           // how many there were, also beyond those that are kept
  std::string notice;                 // the last of them, until another recording has begun

  /// The answer to a command: now, or as soon as `later` has one, at the latest when the time is up.
  struct Reply {
    nlohmann::json now;
    std::function<std::optional<nlohmann::json>()> later = {};
  };
  struct Waiting {
    Reply reply;
    Nanoseconds until = 0;
    Control::Answer answer;
  };
  std::list<Waiting> waiting;
  DrawPace pace;

  explicit Session(MeterOptions o);
  void log(const std::string& line) const;
  /// What goes wrong in the loop is told at most once a second.
  void complain(const char* mistake);

  // Keys.
  /// A display that has none, or goes away, is said in the log; commands do the same.
  void listen_to_keys();

  // Games.
  Game* come(std::unique_ptr<Attachment> attachment) override;
  void leave(Game& game) override;
  WatchedFace face_for(int pid) const;
  static GameReport report(const Game& game, bool over);
  /// The one that has presented most.
  Game* main_game();
  /// Takes the frames that have come, for the recording too.
  void drain(Game& game);

  // Readings.
  void sample_for(const Game& game);
  /// Without the feed where another meter listens to it.
  Sources sources_for(const GameFacts& facts);
  [[nodiscard]] Snapshot machine_values(Nanoseconds now) const;
  [[nodiscard]] std::shared_ptr<const Batch> marks_batch(Nanoseconds now) const;

  // Recording. Nothing here waits for the store.
  [[nodiscard]] bool is_recorded(const Game& game) const;
  /// Whether the plan is due and the machine's names are known, or have been waited for long enough.
  [[nodiscard]] bool may_start(Nanoseconds now) const;
  void start_recording(Game& game, Nanoseconds now);
  /// Lets it end; what became of it is seen at a later tick.
  std::shared_ptr<Recording> stop_recording();
  /// Notes what became of recordings.
  void look_after_recordings();
  void note_problem(const std::string& problem);
  /// Begins, goes on and ends as it was planned.
  void record(Nanoseconds now);
  void plan(double seconds, double after);
  /// Ends the recording and waits for the disk, for so long.
  void end_recordings(std::chrono::nanoseconds at_most);

  // The loop.
  void tick();
  /// Texts and what is hidden at their pace, traces at each tick.
  void redraw(Nanoseconds now);

  // Commands.
  void obey(const std::string& line, Control::Answer answer);
  void answer_waiting(Nanoseconds now);
  Reply act(const nlohmann::json& command);
  nlohmann::json mark();
  /// The one behind the face that is shown; the first where it is none of them.
  [[nodiscard]] std::string next_face();
  nlohmann::json choose_face(std::string name);
  Reply change_recording(const nlohmann::json& command);
  nlohmann::json hand_over();
  [[nodiscard]] nlohmann::json state_of_recording() const;
  static nlohmann::json state_of(Game& game);
  nlohmann::json state();
};

}  // namespace idlemeter::meter
