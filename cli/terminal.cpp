#include "terminal.hpp"

#include <signal.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <cstdlib>
#include <string_view>

namespace idlemeter::cli {
namespace {

volatile sig_atomic_t ctrl_c = 0;

std::string_view environment(const char* name) {
  const char* value = std::getenv(name);
  return value == nullptr ? "" : value;
}

}  // namespace

std::size_t terminal_width() {
  winsize size{};
  return ::isatty(1) != 0 && ::ioctl(1, TIOCGWINSZ, &size) == 0 && size.ws_col > 0 ? size.ws_col : 100'000;
}

std::size_t terminal_height() {
  winsize size{};
  return ::isatty(1) != 0 && ::ioctl(1, TIOCGWINSZ, &size) == 0 && size.ws_row > 0 ? size.ws_row : 0;
}

TerminalStyle::Colors terminal_colors() {
  if (::isatty(1) == 0 || !environment("NO_COLOR").empty() || environment("TERM") == "dumb")
    return TerminalStyle::Colors::none;
  const std::string_view said = environment("COLORTERM");
  return said == "truecolor" || said == "24bit" ? TerminalStyle::Colors::full : TerminalStyle::Colors::some;
}

void catch_ctrl_c() {
  struct sigaction stop {};
  stop.sa_handler = [](int) { ctrl_c = 1; };
  ::sigaction(SIGINT, &stop, nullptr);
}

bool stopped() { return ctrl_c != 0; }

}  // namespace idlemeter::cli
