// Idle Meter: readings of one's own: formulas over other readings, smoothed and extreme values, commands, a feed.
#pragma once

#include <chrono>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/sampler.hpp"

namespace idlemeter {

/// A reading computed from others: either a formula, or one reading taken over a span of time.
struct ComputedReading {
  ReadingInfo info = {};

  /// In the syntax of muParser, with ids of readings as variables: "frame.rate / gpu.power", "max(cpu.temp, gpu.temp)".
  /// It may name readings computed before it.
  std::string formula = {};

  /// Of which reading, where there is no formula; a number.
  std::string of = {};
  enum class Take { mean, least, most } take = Take::mean;
  std::chrono::nanoseconds over = std::chrono::seconds(5);  ///< the span, sliding; mean: over samples
};

/// Computes readings from snapshots. One thread at a time.
class ComputedReadings {
 public:
  /// Throws Error where a formula can't be read, naming the reading and the place in the formula.
  explicit ComputedReadings(std::vector<ComputedReading> readings);
  ComputedReadings(ComputedReadings&&) noexcept;
  ~ComputedReadings();

  /// The snapshot with the computed readings; one whose inputs are missing is missing, with their reason. Snapshots
  /// come in the order of their times.
  [[nodiscard]] Snapshot add_to(const Snapshot& snapshot);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// The output of a command, run every so often.
struct CommandReading {
  ReadingInfo info = {};                  ///< info.text: the first line as it is; else a number at its start
  std::vector<std::string> command = {};  ///< program and arguments; run without a shell
  std::chrono::nanoseconds every = std::chrono::seconds(5);  ///< 100 ms to 1 min
  std::chrono::nanoseconds limit = std::chrono::seconds(2);  ///< after which it is killed, with its children
};

/// A source for one command. Runs it in the thread that samples, so give it one of its own. At most 4 KiB of output are
/// read.
[[nodiscard]] std::unique_ptr<Source> command_source(CommandReading reading);

struct FeedOptions {
  std::filesystem::path socket = {};  ///< made with mode 0600, its folder with 0700 where it isn't there
  std::chrono::nanoseconds age = std::chrono::seconds(5);  ///< after which a value is missing again
};

/// A source that listens on a Unix stream socket for lines in the OpenMetrics text format, from any program of the same
/// user:
///
///   upscaler_ratio 0.67                  -> feed.upscaler_ratio
///   queue_depth{stage="shadow"} 3        -> feed.queue_depth@shadow
///   upscaler_info{preset="quality"} 1    -> feed.upscaler, the text "quality"
///
/// "# HELP" and "# UNIT" give title and unit. A line that is none is counted in feed.refused and otherwise ignored;
/// beyond 64 clients, 1,000 readings or 4 KiB in a line, what comes is refused. Throws Error where the socket can't be
/// made; a socket that nobody listens on any more is replaced, one that is in use is not.
[[nodiscard]] std::unique_ptr<Source> feed_source(const FeedOptions& options);

/// $XDG_RUNTIME_DIR/idlemeter/feed.sock, else /tmp/idlemeter-UID/feed.sock.
[[nodiscard]] std::filesystem::path usual_feed_socket();

}  // namespace idlemeter
