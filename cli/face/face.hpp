// The subcommands of `idlemeter face`.
#pragma once

#include "arguments.hpp"

namespace idlemeter::cli {

void add_face_draw(Command face);
void add_face_edits(Command& face);
void add_face_keeping(Command& face);

}  // namespace idlemeter::cli
