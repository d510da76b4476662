// A live session: games, their overlays, the recording, and what the user says.
#pragma once

#include <list>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>

#include "idlemeter/meter.hpp"
#include "meter/control.hpp"
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
  std::optional<Recording> recording;
  struct Planned {
    Nanoseconds at = 0;
    double seconds = 0;
  };
  std::optional<Planned> planned;

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
  std::filesystem::path face_file(int pid) const;
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

  // Recording.
  [[nodiscard]] bool is_recorded(const Game& game) const;
  void start_recording(Game& game, double seconds);
  std::int64_t stop_recording();
  /// For what can't be stopped by a mistake of the store's.
  void end_with_its_game();
  void give_up_recording(const char* why);
  void end_recording();
  /// Begins, goes on and ends as it was planned.
  void record(Nanoseconds now);
  void plan(double seconds, double after);

  // The loop.
  void tick();
  /// Texts and what is hidden at their pace, traces at each tick.
  void redraw(Nanoseconds now);

  // Commands.
  std::string obey(const std::string& line);
  nlohmann::json act(const nlohmann::json& command);
  nlohmann::json mark();
  /// The one behind the face that is shown; the first where it is none of them.
  [[nodiscard]] std::string next_face();
  nlohmann::json choose_face(std::string name);
  nlohmann::json change_recording(const nlohmann::json& command);
  static nlohmann::json state_of(Game& game);
  nlohmann::json state();
};

}  // namespace idlemeter::meter
