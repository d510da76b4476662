// Reads the keys and buttons of a settings file.
#pragma once

#include "face/format/toml_reader.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter::settings {

/// Reads [keys]. Reports unreadable chords, and chords that two actions share.
void read_keys(face::TableReader& table, KeyChoices& keys);

/// Reads one [[button]] and adds it to the settings unless it has a mistake.
void read_button(face::TableReader& table, Settings& settings);

}  // namespace idlemeter::settings
