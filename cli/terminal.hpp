// The terminal that the command writes to, and Ctrl-C.
#pragma once

#include <chrono>
#include <cstddef>

#include "idlemeter/face/terminal_view.hpp"

namespace idlemeter::cli {

/// Columns of the terminal; very many if there is none.
std::size_t terminal_width();

/// Lines of the terminal; 0 if there is none.
std::size_t terminal_height();

/// What it can show: none if it isn't a terminal or NO_COLOR is set (https://no-color.org), all if COLORTERM says
/// so.
TerminalStyle::Colors terminal_colors();

inline constexpr const char* kClearScreen = "\x1b[H\x1b[2J";  // to the top, and clear

/// Opens what is closed of the three standard streams, so that no file of ours gets their numbers. What is written to
/// such a stream fails, as it did.
void open_standard_streams();

/// From now on SIGINT, SIGTERM and SIGHUP remove the temporary folders before they end the program. Before any thread
/// is made: each would get them too.
void watch_signals();

/// From now on Ctrl-C ends loops that ask stopped(), not the program. After watch_signals().
void catch_ctrl_c();

/// The same for Ctrl-C and for SIGTERM, with which services are stopped.
void catch_termination();
bool stopped();

/// Lets the time pass, or as much of it as there is before Ctrl-C.
void rest(std::chrono::duration<double> time);

}  // namespace idlemeter::cli
