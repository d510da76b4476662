// The terminal that the command writes to, and Ctrl-C.
#pragma once

#include <cstddef>

#include "idlemeter/terminal_view.hpp"

namespace idlemeter::cli {

/// Columns of the terminal; very many where there is none.
std::size_t terminal_width();

/// Lines of the terminal; 0 where there is none.
std::size_t terminal_height();

/// What it can show: none where it is no terminal or NO_COLOR is set (https://no-color.org), all where COLORTERM says
/// so.
TerminalStyle::Colors terminal_colors();

inline constexpr const char* kClearScreen = "\x1b[H\x1b[2J";  // to the top, and clear

/// From now on Ctrl-C ends loops that ask stopped(), not the program.
void catch_ctrl_c();
bool stopped();

}  // namespace idlemeter::cli
