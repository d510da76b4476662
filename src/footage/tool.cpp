#include "footage/tool.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"

extern char** environ;

namespace idlemeter::footage {
namespace {

constexpr int kOutputFile = 3;

std::string all_of(int fd) {
  struct stat about {};
  if (::fstat(fd, &about) != 0) return {};
  std::string text(static_cast<std::size_t>(about.st_size), '\0');
  std::size_t got = 0;
  while (got < text.size()) {
    const ssize_t n = ::pread(fd, text.data() + got, text.size() - got, static_cast<off_t>(got));
    if (n <= 0) break;
    got += static_cast<std::size_t>(n);
  }
  text.resize(got);
  return text;
}

/// Actions and attributes that are freed in the end.
struct Spawning {
  posix_spawn_file_actions_t actions;
  posix_spawnattr_t attributes;

  Spawning() {
    posix_spawn_file_actions_init(&actions);
    posix_spawnattr_init(&attributes);
  }
  Spawning(const Spawning&) = delete;
  Spawning& operator=(const Spawning&) = delete;
  ~Spawning() {
    posix_spawn_file_actions_destroy(&actions);
    posix_spawnattr_destroy(&attributes);
  }
};

}  // namespace

Tool::Tool(const std::string& program, const std::vector<std::string>& arguments, const Options& options)
    : output_(::memfd_create("output", MFD_CLOEXEC)), errors_(::memfd_create("errors", MFD_CLOEXEC)) {
  int ends[2] = {-1, -1};
  if (options.takes_input && ::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) == 0) {
    constexpr int kBuffer = 4 << 20;
    ::setsockopt(ends[0], SOL_SOCKET, SO_SNDBUF, &kBuffer, sizeof kBuffer);
    input_ = ends[0];
  }
  const int nothing = options.takes_input ? -1 : ::open("/dev/null", O_RDONLY | O_CLOEXEC);
  Spawning spawning;
  // What goes to 0 to 3 isn't one of them already: a copy beyond stays until the program begins.
  const int given[] = {options.takes_input ? ends[1] : nothing, output_, errors_, options.output};
  std::vector<int> copies;
  for (int i = 0; i <= kOutputFile; ++i) {
    if (given[i] < 0) continue;
    const int copy = ::fcntl(given[i], F_DUPFD_CLOEXEC, kOutputFile + 1);
    copies.push_back(copy);
    posix_spawn_file_actions_adddup2(&spawning.actions, copy, i);
  }
  // A group of its own: Ctrl-C is for us, who then end it.
  sigset_t none, defaults;
  sigemptyset(&none);
  sigemptyset(&defaults);
  sigaddset(&defaults, SIGPIPE);
  sigaddset(&defaults, SIGXFSZ);
  posix_spawnattr_setpgroup(&spawning.attributes, 0);
  posix_spawnattr_setsigmask(&spawning.attributes, &none);
  posix_spawnattr_setsigdefault(&spawning.attributes, &defaults);
  posix_spawnattr_setflags(&spawning.attributes,
                           POSIX_SPAWN_SETPGROUP | POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETSIGDEF);
  std::vector<std::string> words = {program};
  words.insert(words.end(), arguments.begin(), arguments.end());
  std::vector<char*> pointers;
  for (std::string& word : words) pointers.push_back(word.data());
  pointers.push_back(nullptr);
  const int failed =
      ::posix_spawnp(&pid_, program.c_str(), &spawning.actions, &spawning.attributes, pointers.data(), environ);
  for (const int copy : copies) ::close(copy);
  for (const int fd : {ends[1], nothing}) {
    if (fd >= 0) ::close(fd);
  }
  if (failed == 0) return;
  pid_ = 0;
  for (const int fd : {input_, output_, errors_}) {
    if (fd >= 0) ::close(fd);
  }
  throw Error(Error::Code::not_found, fmt::format("footage is made with FFmpeg's {}, which isn't installed", program),
              "", "install it, like 'sudo apt-get install ffmpeg'");
}

Tool::~Tool() {
  if (pid_ > 0) {
    ::kill(pid_, SIGKILL);
    ::waitpid(pid_, nullptr, 0);
  }
  for (const int fd : {input_, output_, errors_}) {
    if (fd >= 0) ::close(fd);
  }
}

bool Tool::write(std::span<const std::byte> bytes) {
  while (!bytes.empty()) {
    const ssize_t sent = ::send(input_, bytes.data(), bytes.size(), MSG_NOSIGNAL);
    if (sent < 0 && errno != EINTR) return false;
    if (sent > 0) bytes = bytes.subspan(static_cast<std::size_t>(sent));
  }
  return true;
}

int Tool::finish() {
  if (input_ >= 0) ::close(input_);
  input_ = -1;
  int status = 0;
  while (::waitpid(pid_, &status, 0) < 0 && errno == EINTR) {
  }
  pid_ = 0;
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

std::string Tool::output() const { return all_of(output_); }

std::string Tool::complaint() const {
  std::string text = all_of(errors_);
  while (!text.empty() && (text.back() == '\n' || text.back() == ' ')) text.pop_back();
  constexpr std::size_t kMost = 400;
  if (text.size() > kMost) text = "… " + text.substr(text.size() - kMost);
  std::replace(text.begin(), text.end(), '\n', ' ');
  return text.empty() ? "no reason given" : printable(text);
}

}  // namespace idlemeter::footage
