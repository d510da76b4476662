#include "meter/session/companion.hpp"

#include <fmt/format.h>
#include <signal.h>
#include <sys/signalfd.h>
#include <sys/stat.h>
#include <sys/timerfd.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <fstream>
#include <iterator>
#include <optional>

#include "base/launch.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/meter.hpp"
#include "meter/entrance/process.hpp"

namespace idlemeter::meter {
namespace {

/// The signals that the game gets too. Those of the keyboard come to it by themselves.
constexpr int kPassedSignals[] = {SIGCHLD, SIGINT,  SIGTERM, SIGHUP,  SIGQUIT,
                                  SIGUSR1, SIGUSR2, SIGCONT, SIGTSTP, SIGWINCH};

sigset_t passed_signals() {
  sigset_t set;
  sigemptyset(&set);
  for (const int signal : kPassedSignals) sigaddset(&set, signal);
  return set;
}

constexpr int kSignalsOfEnd[] = {SIGINT, SIGTERM, SIGHUP, SIGQUIT};
std::optional<Moment> asked_to_end;  // by a signal, or by the end of a plan

bool is_of_end(int number) {
  return std::find(std::begin(kSignalsOfEnd), std::end(kSignalsOfEnd), number) != std::end(kSignalsOfEnd);
}

}  // namespace

TakenSignals::TakenSignals() {
  asked_to_end.reset();
  const sigset_t set = passed_signals();
  ::sigprocmask(SIG_BLOCK, &set, &before_);
}

TakenSignals::~TakenSignals() {
  const sigset_t set = passed_signals();
  const timespec at_once{};
  while (::sigtimedwait(&set, nullptr, &at_once) > 0) continue;
  ::sigprocmask(SIG_SETMASK, &before_, nullptr);
}

pid_t start(std::vector<std::string> words, std::vector<std::string> variables, int& error) {
  std::vector<int> usual(std::begin(kPassedSignals), std::end(kPassedSignals));
  usual.insert(usual.end(), {SIGPIPE, SIGXFSZ});
  const base::Launched launched =
      base::launch(std::move(words), {.variables = std::move(variables), .default_signals = std::move(usual)});
  error = launched.error;
  return launched.pid;
}

Companion::Companion(Meter& meter, pid_t game, pid_t attached, Mark mark)
    : meter_(meter), game_(game), attached_(attached), mark_(std::move(mark)) {
  const sigset_t set = passed_signals();
  signals_ = ::signalfd(-1, &set, SFD_CLOEXEC | SFD_NONBLOCK);
  timer_ = ::timerfd_create(CLOCK_MONOTONIC, TFD_CLOEXEC | TFD_NONBLOCK);
  const itimerspec often{{0, 50'000'000}, {0, 50'000'000}};
  ::timerfd_settime(timer_, 0, &often, nullptr);
  meter_.watch(signals_, [this] { pass_signals(); });
  meter_.watch(timer_, [this] { look(); });
}

Companion::~Companion() {
  for (const int descriptor : {signals_, timer_}) {
    meter_.unwatch(descriptor);
    ::close(descriptor);
  }
}

void Companion::pass_signals() {
  signalfd_siginfo signal{};
  while (::read(signals_, &signal, sizeof signal) == static_cast<ssize_t>(sizeof signal)) {
    const int number = static_cast<int>(signal.ssi_signo);
    if (number == SIGCHLD) continue;
    if (is_of_end(number)) note_asked_to_end();
    const bool typed = signal.ssi_code == SI_KERNEL;  // the terminal sent it to the game as well
    if (game_ > 0 && !ended_ && !typed) ::kill(game_, number);
    if (game_ == 0 && (number == SIGINT || number == SIGTERM || number == SIGHUP)) meter_.stop();
    if (number == SIGTSTP) ::raise(SIGSTOP);
  }
}

void Companion::note_asked_to_end() {
  asked_to_end = monotonic_now();
  game_was_asked_ = game_was_asked_ || !ended_;
}

bool Companion::was_asked_to_end() {
  constexpr Nanoseconds kGrace = 10 * kSecond;  // a game that keeps running after it was asked to end may crash later
  sigset_t pending;
  ::sigpending(&pending);  // the game may have got it a moment earlier
  const bool is_pending = std::any_of(std::begin(kSignalsOfEnd), std::end(kSignalsOfEnd),
                                      [&](int number) { return sigismember(&pending, number) == 1; });
  return is_pending || (asked_to_end && monotonic_now() - *asked_to_end < kGrace);
}

void Companion::look_for_32_bit(bool ends_it) {
  looks_for_32_bit_ = true;
  ends_32_bit_ = ends_it;
}

void Companion::end_game() {
  note_asked_to_end();
  constexpr int kGrace = 100;  // looks: five seconds
  end_in_ = kGrace;
  signal_games(SIGTERM);
}

/// A launcher may pass a signal on, or not: the games themselves get it too.
void Companion::signal_games(int number) {
  if (game_ > 0 && !ended_) ::kill(game_, number);
  for (const GameReport& game : meter_.reports()) {
    if (!game.over && game.pid > 0 && game.pid != game_) ::kill(game.pid, number);
  }
}

void Companion::look() {
  std::uint64_t times = 0;
  (void)!::read(timer_, &times, sizeof times);
  if (end_in_ > 0 && --end_in_ == 0) signal_games(SIGKILL);
  if (game_ > 0 && !ended_ && ::waitpid(game_, &status_, WNOHANG) == game_) ended_ = true;
  seen_ = seen_ || meter_.has_games();
  constexpr int kEvery = 20;  // looks: a second
  if (game_ > 0 && !seen_ && ++looks_ % kEvery == 0) find_unmeasured();
  if (!seen_ && !ended_ && end_in_ == 0 && silent_until_ && monotonic_now() > *silent_until_) end_game();
  const bool over = game_ > 0 ? ended_ && !is_still_coming() : seen_ || !is_running(attached_);
  // Twice: a game that has just ended may still wait at the door, with all that it presented.
  quiet_ = over && !meter_.has_games() ? quiet_ + 1 : 0;
  if (quiet_ == 2) meter_.stop();
}

/// What was started and can't be measured.
void Companion::find_unmeasured() {
  look_at_programs();
  if (looks_for_32_bit_) find_32_bit();
  if (!needed_.empty() && contained_.program.empty()) contained_ = find_contained(game_, needed_);
}

/// The newest of them is what a launcher has started last.
void Companion::look_at_programs() {
  for (const int process : all_processes()) {
    struct stat about {};
    if (!descends_from(process, game_) || ::stat(fmt::format("/proc/{}", process).c_str(), &about) != 0) continue;
    const std::ifstream environment(fmt::format("/proc/{}/environ", process));
    const bool is_foreign = about.st_uid != ::geteuid();
    const std::string name = program_of(process).name;
    if (!is_foreign && executable_of(process).empty()) continue;  // it has ended
    unmeasured_ = {.program = name,
                   .is_of_another_user = is_foreign,
                   .lacks_environment = !is_foreign && environment && variable_of(process, mark_.first).empty()};
  }
}

void Companion::find_32_bit() {
  for (const int process : processes_with(mark_.first, mark_.second)) {
    const auto executable = executable_of(process);
    if (!is_32_bit(executable)) continue;
    program_32_bit_ = executable.filename().string();
    looks_for_32_bit_ = false;
    if (ends_32_bit_) end_game();
    return;
  }
}

/// A launcher may be over before its game has begun to present. What it started may not be a game at all.
bool Companion::is_still_coming() {
  constexpr int kLooks = 200, kEvery = 10;  // ten seconds, twice a second
  if (seen_ || ++waited_ > kLooks) return false;
  if (waited_ % kEvery == 1) left_ = is_anywhere(mark_.first, mark_.second);
  return left_;
}

}  // namespace idlemeter::meter
