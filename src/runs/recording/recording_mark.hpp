// Which process records a run: the `recorder` column of a run that isn't finished.
#pragma once

#include <string>

namespace idlemeter::runs {

/// This process, as no other on this machine ever is: "BOOT PID START".
[[nodiscard]] std::string this_recorder();

/// Whether the process of such a mark still runs, on this machine since its last start. False of any other text.
[[nodiscard]] bool is_recording(const std::string& mark);

}  // namespace idlemeter::runs
