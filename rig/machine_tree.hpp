// What a simulated machine's kernel says, as files.
#pragma once

#include "machine.hpp"
#include "tree.hpp"

namespace idlemeter::rig {

/// The process of *Tidepool Rally* in every tree.
inline constexpr int kGameProcess = 4242;

/// The file below the tree in which the stand-in of the management library finds its numbers.
inline constexpr const char* kManagedCard = "managed-card";

/// Writes what the kernel would say now.
void write_tree(const Machine& machine, Tree& tree);

}  // namespace idlemeter::rig
