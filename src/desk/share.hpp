// Runs compared and handed on: groups against each other, reports, pictures, tables, run files.
#pragma once

#include <filesystem>

#include "desk/runs.hpp"
#include "desk/wire.hpp"

namespace idlemeter::desk {

// `groups` of a question: lists of runs, separated by ';', each a group; `by`: settings and facts that make the groups
// of all these runs. Everything throws Error.

/// The groups against each other, in numbers and words.
[[nodiscard]] Json compared(const Runs& runs, const http::Request& request);

/// A file to keep, as the question's `as` says: "report", "picture", "markdown", "csv", "frames", "readings", "results"
/// or "runs".
[[nodiscard]] http::Answer shared(const Runs& runs, const http::Request& request);

}  // namespace idlemeter::desk
