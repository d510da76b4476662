#include "terminal.hpp"

#include <fcntl.h>
#include <signal.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <condition_variable>
#include <cstdlib>
#include <mutex>
#include <string_view>
#include <thread>

#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/face/terminal_view.hpp"

namespace idlemeter::cli {
namespace {

/// What the thread that waits for signals shares with the others.
struct Signals {
  std::mutex mutex;
  std::condition_variable came;
  bool caught = false;       // Ctrl-C doesn't end the program
  bool term_caught = false;  // nor does SIGTERM
  bool ctrl_c = false;
};

Signals& signals() {
  static auto* const shared = new Signals;  // the thread may outlive main()
  return *shared;
}

sigset_t watched_signals() {
  sigset_t set;
  sigemptyset(&set);
  for (int signal : {SIGINT, SIGTERM, SIGHUP}) sigaddset(&set, signal);
  return set;
}

void wait_for_signals() {
  const sigset_t set = watched_signals();
  for (;;) {
    int signal = 0;
    if (::sigwait(&set, &signal) != 0) continue;
    std::unique_lock lock(signals().mutex);
    if ((signal == SIGINT && signals().caught) || (signal == SIGTERM && signals().term_caught)) {
      signals().ctrl_c = true;
      signals().came.notify_all();
      continue;
    }
    ScratchFolder::remove_all();
    ::signal(signal, SIG_DFL);
    ::pthread_sigmask(SIG_UNBLOCK, &set, nullptr);
    ::raise(signal);
  }
}

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

void open_standard_streams() {
  for (int stream : {0, 1, 2}) {
    if (::fcntl(stream, F_GETFD) < 0) (void)!::open("/dev/null", O_RDONLY);  // the lowest free number: this one
  }
}

void watch_signals() {
  const sigset_t set = watched_signals();
  ::pthread_sigmask(SIG_BLOCK, &set, nullptr);
  std::thread(&wait_for_signals).detach();
}

void catch_ctrl_c() {
  const std::lock_guard lock(signals().mutex);
  signals().caught = true;
}

void catch_termination() {
  catch_ctrl_c();
  const std::lock_guard lock(signals().mutex);
  signals().term_caught = true;
}

bool stopped() {
  const std::lock_guard lock(signals().mutex);
  return signals().ctrl_c;
}

void rest(std::chrono::duration<double> time) {
  std::unique_lock lock(signals().mutex);
  signals().came.wait_for(lock, time, [] { return signals().ctrl_c; });
}

}  // namespace idlemeter::cli
