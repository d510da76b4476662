// Which columns of a frame log are what.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/frame_log.hpp"

namespace idlemeter::runs {

[[nodiscard]] constexpr bool is_blank(char c) { return c == ' ' || c == '\t'; }

/// Without blanks at its ends.
[[nodiscard]] std::string_view trimmed(std::string_view text);

/// The fields of a line between delimiters; one in quotes without them. False if a quote isn't closed. The views are
/// of the line, or of `unquoted`.
bool fields_of(std::string_view line, char delimiter, std::vector<std::string_view>& fields, std::string& unquoted);

/// How the log is to be read.
struct LogPlan {
  FrameLogFormat format;           ///< with everything that was asked for or guessed
  std::size_t heading_lines = 0;   ///< of the sample, up to the heading and with it
  Nanoseconds resolution{};        ///< of moments or frame times, the coarser; 0 if not both are known
  bool leads_with_number = false;  ///< its lines begin with a number that isn't used: one that doesn't is a summary
  std::vector<std::string> notes;  ///< of the guesses
};

/// By the first lines of a log, without empty ones and comments. Throws Error as read_frame_log() does.
[[nodiscard]] LogPlan plan_of(const std::vector<std::string>& lines, const FrameLogFormat& asked,
                              const std::string& where);

}  // namespace idlemeter::runs
