// Small files that the kernel answers from.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "idlemeter/readings/reading.hpp"

namespace idlemeter::sources {

namespace fs = std::filesystem;

/// What a file says, or why it doesn't. Trailing white space is dropped; at most 1 MiB is read.
struct FileText {
  std::string text;
  int error = 0;  ///< errno; 0 if it was read

  [[nodiscard]] bool ok() const { return error == 0; }
};

/// Opens, reads and closes: a file that was replaced, or whose device came back, is found again each time.
FileText read_file(const fs::path& path);

/// "cannot read /sys/…: Permission denied; allow it with 'sudo chmod a+r /sys/…'", with the fix if there is one.
Missing cannot_read(const fs::path& path, int error);

/// The whole file as one decimal number times `scale`, or why not (unreadable, no number, beyond ±1e18).
Value read_number(const fs::path& path, double scale = 1);

/// The first number in the text, "35 W" -> 35; empty if it starts with none or it is beyond ±1e18.
std::optional<double> leading_number(std::string_view text);

/// "12345 kB" and "12345" -> 12345; empty unless a whole unsigned number starts the text.
std::optional<std::uint64_t> leading_count(std::string_view text);

/// Names in a folder in natural order (hwmon2 before hwmon10), none if it can't be read.
std::vector<std::string> names_in(const fs::path& folder);

/// Splits at any run of white space.
std::vector<std::string_view> words(std::string_view text);

/// Splits at line ends; no empty lines.
std::vector<std::string_view> lines(std::string_view text);

/// "Tccd 1 (+)" -> "tccd_1": lower case, runs of anything but letters and digits become one underscore. "" for none.
std::string as_id(std::string_view label);

/// "temp12_input", "temp", "_input" -> 12; empty if the name isn't of that form.
std::optional<int> number_between(std::string_view name, std::string_view before, std::string_view after);

}  // namespace idlemeter::sources
