// Idle Meter: starters as files.
#pragma once

#include <filesystem>

#include "idlemeter/draw/image.hpp"
#include "idlemeter/face/starters.hpp"

namespace idlemeter {

/// Writes the starter as a face file, and the pictures that it uses beside it. Throws Error if the face file is
/// there already or can't be written; a picture that already exists is left as it is.
void write_starter(const Starter& starter, const std::filesystem::path& file);

/// The sheet of the dashboard's reel: a thermometer in eight states, four columns and two rows, 128 x 128 pixels each.
[[nodiscard]] Image gauge_sheet();

}  // namespace idlemeter
