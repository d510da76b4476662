// Idle Meter: readings that other programs hand in.
#pragma once

#include <chrono>
#include <filesystem>
#include <memory>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/source.hpp"

namespace idlemeter {

struct FeedOptions {
  std::filesystem::path socket = {};          ///< made with mode 0600, its folder with 0700 if it doesn't exist
  Nanoseconds age = std::chrono::seconds(5);  ///< after which a value is missing again
};

/// A source that listens on a Unix stream socket for lines in the OpenMetrics text format, from any program of the same
/// user:
///
///     upscaler_ratio 0.67                  -> feed.upscaler_ratio
///     queue_depth{stage="shadow"} 3        -> feed.queue_depth@shadow
///     upscaler_info{preset="quality"} 1    -> feed.upscaler, the text "quality"
///
/// "# HELP" and "# UNIT" give title and unit. Invalid lines are counted in feed.refused and otherwise ignored; so is
/// everything beyond 64 clients, 1,000 readings or 4 KiB in a line. Throws Error if the socket can't be
/// created. A socket without a listener is replaced; one in use is not.
[[nodiscard]] std::unique_ptr<Source> feed_source(const FeedOptions& options);

/// $XDG_RUNTIME_DIR/idlemeter/feed.sock, else /tmp/idlemeter-UID/feed.sock.
[[nodiscard]] std::filesystem::path usual_feed_socket();

}  // namespace idlemeter
