// Idle Meter: a page in the browser for those who would rather point than type.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// Where the desk's values come from. One thread at a time.
class DeskValues {
 public:
  virtual ~DeskValues() = default;
  /// The newest values.
  virtual Snapshot update() = 0;
  /// From now on also these statistics of frames.
  virtual void ask(const std::vector<std::string>& readings) = 0;
  /// Everything that update() has returned over the last minute.
  [[nodiscard]] virtual const History& history() const = 0;
};

struct DeskOptions {
  int port = 0;                          ///< 0: any that is free
  std::filesystem::path settings = {};   ///< which the desk changes
  std::filesystem::path faces = {};      ///< the folder of the kept faces; empty: the usual one
  std::filesystem::path store = {};      ///< with the runs; empty: the one that the settings name
  std::filesystem::path state = {};      ///< a folder for what the desk remembers; empty: the usual one
  std::unique_ptr<DeskValues> values{};  ///< never empty
  /// Pictures of games to lay overlays on.
  std::vector<std::string> grounds = {};
  std::function<Image(const std::string& name, int width, int height)> draw_ground = {};
  /// The command that starts the demo game with its meter, word by word. It keeps running after the desk ends. Empty:
  /// no demo game.
  std::vector<std::string> demo_game = {};
};

/// Serves the desk to this user's browser, on threads of its own. A browser gets in by an address that works once, and
/// is known by a cookie from then on. What other pages and other names of this machine ask isn't answered.
class Desk {
 public:
  /// Listens on 127.0.0.1. Throws Error if the port can't be used, or if this build has no page (Code::unavailable).
  explicit Desk(DeskOptions options);
  Desk(const Desk&) = delete;
  Desk& operator=(const Desk&) = delete;
  ~Desk();

  [[nodiscard]] int port() const;

  /// A new address that opens the page, once and within ten minutes.
  [[nodiscard]] std::string address();

  /// The file with the runs.
  [[nodiscard]] const std::filesystem::path& store() const;

  /// When a page last asked something; while one is watching, now.
  [[nodiscard]] Moment last_used() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// The address of a desk that already runs, as Desk::address() gives it; empty if there is no such desk. Throws Error
/// (in_use) if it has another store than `store`, unless that is empty.
[[nodiscard]] std::string running_desk(const std::filesystem::path& store = {});

/// Answers running_desk() of other processes. Throws Error if another desk does. One thread at a time.
class DeskBell {
 public:
  explicit DeskBell(Desk& desk);
  DeskBell(const DeskBell&) = delete;
  DeskBell& operator=(const DeskBell&) = delete;
  ~DeskBell();

  /// Answers who has asked; waits for that long at most.
  void serve(Nanoseconds at_most);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Opens an address in the user's browser. Returns false if no browser could be started.
[[nodiscard]] bool open_browser(const std::string& address);

}  // namespace idlemeter
