// The output of a command as a reading.
#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <signal.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <charconv>
#include <cstdint>

#include "base/launch.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/sources/command_source.hpp"
#include "sources/kernel/kernel_file.hpp"

namespace idlemeter {
namespace {

constexpr std::size_t kMostOutput = 4096;

/// A child process in a group of its own, whose output comes through a pipe. Whatever still runs of it ends with this.
class Child {
 public:
  explicit Child(const std::vector<std::string>& command) {
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0) {
      error_ = errno;
      return;
    }
    output_ = ends[0];
    start(command, ends[1]);
    ::close(ends[1]);
  }
  Child(const Child&) = delete;
  Child& operator=(const Child&) = delete;
  ~Child() {
    if (output_ >= 0) ::close(output_);
    if (pid_ > 0 && !ended_) {
      ::kill(-pid_, SIGKILL);
      end_descendants();
      ::waitpid(pid_, &status_, 0);
    }
  }

  [[nodiscard]] int error() const { return error_; }

  /// Reads until it closes its output or the time is up (false), and adds to `text` what fits.
  bool read_until(Moment deadline, std::string& text) {
    for (;;) {
      const Nanoseconds left = deadline - monotonic_now();
      pollfd wait{output_, POLLIN, 0};
      if (left <= Nanoseconds{} || ::poll(&wait, 1, static_cast<int>(left / kMillisecond) + 1) <= 0) return false;
      char buffer[1024];
      const ssize_t got = ::read(output_, buffer, sizeof buffer);
      if (got <= 0) return true;
      text.append(buffer, std::min(static_cast<std::size_t>(got), kMostOutput - text.size()));
    }
  }

  /// Its exit status, once it has ended; empty if the time is up.
  std::optional<int> wait_until(Moment deadline) {
    for (;;) {
      if (::waitpid(pid_, &status_, WNOHANG) == pid_) {
        ::kill(-pid_, SIGKILL);  // what it started and left
        ended_ = true;
        return WIFEXITED(status_) ? WEXITSTATUS(status_) : 128 + WTERMSIG(status_);
      }
      if (monotonic_now() >= deadline) return std::nullopt;
      ::poll(nullptr, 0, 5);
    }
  }

 private:
  /// Those that left the group by setsid(): they have the mark in their environment. Again until there are none, for
  /// one may start another meanwhile.
  void end_descendants() const {
    constexpr int kRounds = 20;
    for (int round = 0; round < kRounds; ++round) {
      bool found = false;
      for (const std::string& name : sources::names_in("/proc")) {
        int pid = 0;
        const auto [end, error] = std::from_chars(name.data(), name.data() + name.size(), pid);
        if (error != std::errc{} || end != name.data() + name.size() || pid == ::getpid() || pid == pid_) continue;
        const std::string variables = sources::read_file("/proc/" + name + "/environ").text + '\0';
        if (variables.find('\0' + mark_ + '\0') == std::string::npos && !variables.starts_with(mark_ + '\0')) continue;
        found = ::kill(pid, SIGKILL) == 0 || found;
      }
      if (!found) return;
      ::poll(nullptr, 0, 5);
    }
  }

  static std::string new_mark() {
    static std::atomic<std::uint64_t> made = 0;
    return fmt::format("IDLEMETER_COMMAND={}.{}", ::getpid(), ++made);
  }

  void start(const std::vector<std::string>& command, int output) {
    std::vector<std::string> variables = base::own_variables();
    variables.push_back(mark_);
    const base::Launched launched =
        base::launch(command, {.files = {base::kNoFile, output, base::kNoFile, base::kKeptFile},
                               .variables = std::move(variables),
                               .own_group = true});
    pid_ = launched.error == 0 ? launched.pid : -1;
    error_ = launched.error;
  }

  std::string mark_ = new_mark();  // in the environment of all that it starts
  pid_t pid_ = -1;
  int output_ = -1;
  int error_ = 0;
  int status_ = 0;
  bool ended_ = false;
};

class CommandSource : public Source {
 public:
  explicit CommandSource(CommandReading reading) : reading_(std::move(reading)) {}

  [[nodiscard]] std::string name() const override { return "command for " + reading_.info.id; }
  [[nodiscard]] Nanoseconds pace() const override { return reading_.every; }
  std::vector<ReadingInfo> discover() override { return {reading_.info}; }

  [[nodiscard]] bool sample(Moment /*now*/, std::span<Value> values) override {
    if (!values.empty()) values[0] = run();
    return true;
  }

 private:
  Value run() const {
    if (reading_.command.empty()) return Missing{"no command is given"};
    Child child(reading_.command);
    if (child.error() != 0)
      return Missing{fmt::format("cannot run {}: {}", reading_.command[0], ::strerror(child.error()))};
    const Moment deadline = monotonic_now() + reading_.limit;
    std::string output;
    const bool closed = child.read_until(deadline, output);
    const auto status = closed ? child.wait_until(deadline) : std::nullopt;
    if (!status)
      return Missing{
          fmt::format("{} took longer than {} ms and was ended", reading_.command[0], reading_.limit / kMillisecond)};
    if (*status != 0) return Missing{fmt::format("{} ended with status {}", reading_.command[0], *status)};
    return value_of(output);
  }

  Value value_of(const std::string& output) const {
    const auto lines = sources::lines(output);
    const std::string_view first = lines.empty() ? "" : lines.front();
    const std::size_t start = std::min(first.find_first_not_of(" \t"), first.size());
    if (reading_.info.text) return std::string(first.substr(start));
    const auto value = sources::leading_number(first.substr(start));
    return value ? Value(*value)
                 : Value(Missing{fmt::format("{} printed no number: '{:.40}'", reading_.command[0], first)});
  }

  CommandReading reading_;
};

}  // namespace

std::unique_ptr<Source> command_source(CommandReading reading) {
  return std::make_unique<CommandSource>(std::move(reading));
}

}  // namespace idlemeter
