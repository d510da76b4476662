#include "footage/tool.hpp"

#include <fmt/format.h>
#include <signal.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <utility>

#include "base/launch.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"

namespace idlemeter::footage {
namespace {

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

}  // namespace

Tool::Tool(const std::string& program, const std::vector<std::string>& arguments, const Options& options)
    : output_(::memfd_create("output", MFD_CLOEXEC)), errors_(::memfd_create("errors", MFD_CLOEXEC)) {
  int ends[2] = {-1, -1};
  if (options.takes_input && ::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) == 0) {
    constexpr int kBuffer = 4 << 20;
    ::setsockopt(ends[0], SOL_SOCKET, SO_SNDBUF, &kBuffer, sizeof kBuffer);
    input_ = ends[0];
  }
  std::vector<std::string> words = {program};
  words.insert(words.end(), arguments.begin(), arguments.end());
  // A group of its own: Ctrl-C is for us, who then end it.
  const base::Launched launched = base::launch(
      std::move(words),
      {.files = {options.takes_input ? ends[1] : base::kNoFile, output_, errors_, options.output}, .own_group = true});
  if (ends[1] >= 0) ::close(ends[1]);
  pid_ = launched.pid;
  if (launched.error == 0) return;
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
  return base::wait_for(std::exchange(pid_, 0));
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
