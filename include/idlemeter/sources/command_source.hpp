// Idle Meter: the output of a command as a reading.
#pragma once

#include <chrono>
#include <memory>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"

namespace idlemeter {

/// The output of a command, run every so often.
struct CommandReading {
  ReadingInfo info = {};                        ///< info.text: the first line as it is; else a number at its start
  std::vector<std::string> command = {};        ///< program and arguments; run without a shell
  Nanoseconds every = std::chrono::seconds(5);  ///< 100 ms to 1 min
  Nanoseconds limit = std::chrono::seconds(2);  ///< after which it is killed, with its children
};

/// A source for one command. Runs it in the thread that samples, so give it one of its own. At most 4 KiB of output are
/// read.
[[nodiscard]] std::unique_ptr<Source> command_source(CommandReading reading);

}  // namespace idlemeter
