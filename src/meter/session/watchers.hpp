// Those that are sent updates of a session. It knows no socket.
#pragma once

#include <functional>
#include <list>
#include <map>
#include <memory>
#include <span>

#include "base/line_server.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/watch.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "meter/session/game.hpp"

namespace idlemeter::meter {

/// Where the updates of one watcher go.
class UpdateSink {
 public:
  using Reader = base::LineServer::Reader;

  virtual ~UpdateSink() = default;
  [[nodiscard]] virtual Reader reader() = 0;
  virtual void send(const MeterUpdate& update) = 0;  ///< called only after reader() said `ready`
};

/// One thread at a time.
class Watchers {
 public:
  /// Throws Error if there are limits::kWatchers already.
  void add(const WatchRequest& request, std::unique_ptr<UpdateSink> sink, Moment now);

  /// Keeps frames for those who want them: of each game up to limits::kWatchedFrames, the newest.
  void add(const Game& game, std::span<const FrameRecord> frames);

  /// Forgets a game that has gone.
  void remove(const Game& game);

  /// Sends an update to each watcher that is due and has read the last one. `state` has the games in their order; it
  /// and `machine` are asked only if somebody is due.
  void send(Moment now, const std::list<Game>& games, const std::function<MeterState()>& state,
            const std::function<Snapshot()>& machine);

 private:
  struct Kept {
    std::vector<FrameRecord> frames = {};
    std::uint64_t skipped = 0;
  };
  struct Watcher {
    WatchRequest request;
    std::unique_ptr<UpdateSink> sink;
    Moment due{};
    std::map<const Game*, Kept> kept = {};
  };

  static MeterUpdate update_for(Watcher& watcher, const std::list<Game>& games, const MeterState& state,
                                const Snapshot& machine);

  std::list<Watcher> watchers_;
};

}  // namespace idlemeter::meter
