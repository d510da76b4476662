// Idle Meter: readings over time from a table that another program wrote.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/frame_log.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

/// How to read it. What is left out is guessed if it is clear.
struct ReadingTableFormat {
  LogColumn time = {};  ///< when each line's values were taken; a date and time ("2026-11-27 01:05:39.5") or
                        ///< "1:02:03.5" needs no unit
  Nanoseconds every{};  ///< without such a column: from one line to the next; 0: there is one
  char delimiter = 0;   ///< between fields; 0: guessed
  std::optional<bool> decimal_comma = {};
};

struct ReadingTable {
  std::vector<RunSeries> series;   ///< one for each other column that has numbers or texts; moments from 0 on
  Nanoseconds length{};            ///< up to the last line
  std::vector<std::string> notes;  ///< a sentence for each guess
  std::uint64_t lines = 0;         ///< below the heading, empty ones and comments (#) apart
  std::uint64_t broken = 0;        ///< of them, those without a time, or with one before that of the line above
};

/// Reads a table of any size, as UTF-8 or UTF-16, also packed by gzip, zstd or xz: a heading, then a line for each
/// moment. "GPU power (W)", "GPU power [W]" and "GPU power, W" name a reading and its unit. Empty fields have no value;
/// a column whose first field isn't a number holds texts. O(bytes); memory for the values.
///
/// Throws Error if it can't be read or has nothing to read, or if something isn't clear enough to be guessed.
[[nodiscard]] ReadingTable load_reading_table(const std::filesystem::path& file, const ReadingTableFormat& format = {});

/// From memory; errors call it `where`.
[[nodiscard]] ReadingTable parse_reading_table(std::string_view bytes, const std::string& where,
                                               const ReadingTableFormat& format = {});

}  // namespace idlemeter
