// Idle Meter: faces to begin with.
#pragma once

#include <filesystem>
#include <span>
#include <string_view>

#include "idlemeter/draw.hpp"

namespace idlemeter {

struct Starter {
  std::string_view name;     ///< "benchmark"
  std::string_view purpose;  ///< in one sentence
  std::string_view toml;     ///< the face file
};

/// rate, strip, benchmark, thermals, everything, dashboard.
std::span<const Starter> starters();

/// nullptr where there is none of that name.
const Starter* find_starter(std::string_view name);

/// Writes the starter as a face file, and the pictures that it uses beside it. Throws Error where the face file is
/// there already or can't be written; a picture that is there already is left as it is.
void write_starter(const Starter& starter, const std::filesystem::path& file);

/// The sheet of the dashboard's reel: a thermometer in eight states, four columns and two rows, 128 x 128 pixels each.
Image gauge_sheet();

}  // namespace idlemeter
