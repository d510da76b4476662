// Idle Meter: a machine's sources together with the user's own.
#pragma once

#include "idlemeter/readings/source.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/sources/machine.hpp"

namespace idlemeter {

/// The machine's sources with the user's: commands and the feed. Throws Error if the feed's socket can't be made.
[[nodiscard]] Sources sources_with(const Settings& settings, MachineOptions options = {});

}  // namespace idlemeter
