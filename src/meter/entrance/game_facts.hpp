// What a run keeps of the game and the machine beside frames and readings.
#pragma once

#include <future>
#include <map>
#include <string>

#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter::meter {

class Game;

/// "Picture" -> "1920x1080": what can be said at once. What isn't known is left out.
[[nodiscard]] std::map<std::string, std::string> facts_of(const Game& game, const Snapshot& values);

/// A hash of the process's executable, which takes a second for a gigabyte: begun when the game comes, so that it's
/// done before a recording starts, in a thread that runs only while the machine is idle.
[[nodiscard]] std::shared_future<std::string> sha256_of(const std::string& file);

/// What has to be asked of a disk or a display, which may take their time: the operating system, the screen's mode, the
/// compositor.
[[nodiscard]] std::map<std::string, std::string> slow_facts();

}  // namespace idlemeter::meter
