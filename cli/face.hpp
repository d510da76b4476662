// The subcommands of `idlemeter face`.
#pragma once

#include "command.hpp"

namespace idlemeter::cli {

void add_face_draw(CLI::App& face, Action& action);
void add_face_edits(CLI::App& face, Action& action);
void add_face_keeping(CLI::App& face, Action& action);

}  // namespace idlemeter::cli
