#include "desk/demo_game.hpp"

#include <sys/mman.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstring>

#include "base/launch.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"

namespace idlemeter::desk {
namespace {

/// The last line of a file that isn't empty, printable.
std::string last_line_of(int file) {
  std::string text(std::size_t{4} << 10, '\0');
  const off_t size = ::lseek(file, 0, SEEK_END), most = static_cast<off_t>(text.size());
  const ssize_t got = ::pread(file, text.data(), text.size(), size > most ? size - most : 0);
  text.resize(got > 0 ? static_cast<std::size_t>(got) : 0);
  while (text.ends_with('\n')) text.pop_back();
  return printable(text.substr(text.rfind('\n') + 1));
}

}  // namespace

DemoGame::~DemoGame() {
  if (complaints_ >= 0) ::close(complaints_);
}

void DemoGame::notice_its_end() {
  int status = 0;
  if (process_ == 0 || ::waitpid(process_, &status, WNOHANG) != process_) return;
  process_ = 0;
  if (WIFEXITED(status) && WEXITSTATUS(status) == 0) return;
  problem_ = last_line_of(complaints_);
  if (problem_.empty()) problem_ = "the game has failed";
}

void DemoGame::start() {
  const std::lock_guard lock(mutex_);
  notice_its_end();
  if (command_.empty())
    throw Error(Error::Code::unavailable, "the game to try isn't installed", "", "install Idle Meter whole");
  if (process_ != 0) throw Error(Error::Code::refused, "the game runs already");
  if (complaints_ >= 0) ::close(complaints_);
  complaints_ = ::memfd_create("complaints", MFD_CLOEXEC);
  problem_.clear();
  const base::Launched game = base::launch(
      command_, {.files = {base::kNoFile, base::kNoFile, complaints_, base::kKeptFile}, .own_group = true});
  if (game.pid == 0)
    throw Error(Error::Code::failed, std::string("the game couldn't be started: ") + std::strerror(game.error));
  process_ = game.pid;
}

Json DemoGame::state() {
  const std::lock_guard lock(mutex_);
  notice_its_end();
  return {{"there", !command_.empty()}, {"runs", process_ != 0}, {"problem", problem_}};
}

}  // namespace idlemeter::desk
