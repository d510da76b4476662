// Which columns of a frame log are what.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/frame_log.hpp"
#include "runs/tables/log_fields.hpp"

namespace idlemeter::runs {

/// How the log is to be read.
struct LogPlan {
  FrameLogFormat format;           ///< with everything that was asked for or guessed
  std::size_t heading_lines = 0;   ///< of the sample, up to the heading and with it
  Nanoseconds resolution{};        ///< of moments or frame times, the coarser; 0 if not both are known
  bool leads_with_number = false;  ///< its lines begin with a number that isn't used: one that doesn't is a summary
  std::vector<std::string> notes;  ///< of the guesses
};

/// By the first lines of a log, without empty ones and comments. Throws Error as load_frame_log() does.
[[nodiscard]] LogPlan plan_of(const std::vector<std::string>& lines, const FrameLogFormat& asked,
                              const std::string& where);

}  // namespace idlemeter::runs
