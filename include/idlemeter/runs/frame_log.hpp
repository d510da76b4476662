// Idle Meter: frames from a table that another program wrote.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/frames/frame_record.hpp"

namespace idlemeter {

/// What a column's numbers count.
enum class LogUnit : std::uint8_t { nanosecond, microsecond, millisecond, second, frames_per_second };

/// "ns", "us", "ms", "s", "fps"
[[nodiscard]] std::string_view name_of(LogUnit unit);
/// Also "µs" and whole words, in any case.
[[nodiscard]] std::optional<LogUnit> log_unit_from(std::string_view text);

/// A column of a frame log.
struct LogColumn {
  std::string name = {};               ///< its heading, in any case; or its number, from 1; empty: guessed
  std::optional<LogUnit> unit = {};    ///< empty: guessed from the heading, else from the numbers
  std::optional<std::size_t> at = {};  ///< once it was found: its place, from 0
};

/// How to read a frame log: a table of text with a line for each frame. Whatever is left out is guessed if it is clear.
/// Either of the first two columns is enough.
struct FrameLogFormat {
  LogColumn frame_time = {};  ///< how long each frame took; or its rate, in frames_per_second
  LogColumn time = {};        ///< when it was presented; "1:02:03.5" counts hours, minutes and seconds
  LogColumn gpu_work = {};    ///< how long the GPU worked on it
  LogColumn split = {};       ///< lines with the same text here belong to the same run: a process, a number
  char delimiter = 0;         ///< between fields; 0: guessed
  std::optional<bool> decimal_comma = {};
};

/// A line that isn't a frame.
struct BrokenLine {
  std::uint64_t line = 0;  ///< from 1
  std::string why;
};

/// Lines that belong to one run.
struct LoggedFrames {
  std::string name;                 ///< what its lines have in the split column; empty without one
  std::vector<FrameRecord> frames;  ///< counted from the beginning of the first frame, or as they are if they begin
                                    ///< within the first minute
};

struct FrameLog {
  std::vector<LoggedFrames> runs;  ///< in the order in which they begin
  FrameLogFormat format;           ///< as it was read, the guesses filled in: names are headings as they are written
  std::vector<std::string> notes;  ///< a sentence for each guess: "frame times from 'frame time (ms)', in ms"
  std::uint64_t lines = 0;         ///< below the heading, empty ones and comments (#) apart
  std::uint64_t broken = 0;        ///< of them
  std::vector<BrokenLine> first_broken;  ///< a few, to look at
};

/// Reads a log of any size, as UTF-8 or UTF-16, also packed by gzip, zstd or xz. Fields may be in quotes (RFC 4180),
/// but not over several lines. Lines that can't be read are left out and counted; if only moments are known, so is the
/// frame after them, whose beginning is lost. O(bytes); memory for the frames and for one line.
///
/// Throws Error if it can't be read or has no frames, if a column is missing, or if something isn't clear enough to be
/// guessed: the message lists what there is to choose from.
[[nodiscard]] FrameLog load_frame_log(const std::filesystem::path& file, const FrameLogFormat& format = {});

/// From an open file or pipe, which stays open; errors call it `where`.
[[nodiscard]] FrameLog load_frame_log(int descriptor, const std::string& where, const FrameLogFormat& format = {});

/// From memory.
[[nodiscard]] FrameLog parse_frame_log(std::string_view bytes, const std::string& where,
                                       const FrameLogFormat& format = {});

}  // namespace idlemeter
