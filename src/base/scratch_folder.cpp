#include "idlemeter/base/scratch_folder.hpp"

#include <fcntl.h>
#include <stdlib.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <ctime>
#include <mutex>
#include <set>
#include <string>
#include <system_error>

#include "idlemeter/base/error.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

constexpr const char *kBegin = "idlemeter-scratch.", *kPattern = "idlemeter-scratch.XXXXXX";
constexpr std::time_t kNew = 60;  // s: a new folder's owner may not have locked it yet

/// Removes a folder whose program is gone: nobody holds its lock any more.
void remove_if_left(const fs::path& folder) {
  const int fd = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
  if (fd < 0) return;
  struct stat about {};
  const bool is_ours = ::fstat(fd, &about) == 0 && about.st_uid == ::geteuid();
  const bool is_left = is_ours && about.st_mtime + kNew < std::time(nullptr) && ::flock(fd, LOCK_EX | LOCK_NB) == 0;
  std::error_code ignored;
  if (is_left) fs::remove_all(folder, ignored);
  ::close(fd);
}

void remove_left(const fs::path& in) {
  std::error_code ignored;
  for (const fs::directory_entry& entry : fs::directory_iterator(in, ignored)) {
    if (entry.path().filename().string().starts_with(kBegin)) remove_if_left(entry.path());
  }
}

struct Folders {
  std::recursive_mutex mutex;
  std::set<fs::path> paths;
};

Folders& folders() {
  static auto* const all = new Folders;  // a thread that waits for signals may outlive main()
  return *all;
}

}  // namespace

ScratchFolder::ScratchFolder() {
  const std::lock_guard lock(folders().mutex);
  const char* const chosen = ::getenv("TMPDIR");
  const fs::path in = chosen != nullptr && *chosen != '\0' ? chosen : "/tmp";
  remove_left(in);
  std::string name = (in / kPattern).string();
  if (::mkdtemp(name.data()) == nullptr)
    throw Error(Error::Code::unwritable,
                "cannot make a temporary folder (" + std::generic_category().message(errno) + ")", in.string(),
                "name a folder that you may write to in $TMPDIR");
  path_ = name;
  lock_ = ::open(name.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (lock_ >= 0) (void)::flock(lock_, LOCK_EX | LOCK_NB);
  folders().paths.insert(path_);
}

ScratchFolder::~ScratchFolder() {
  const std::lock_guard lock(folders().mutex);
  folders().paths.erase(path_);
  std::error_code ignored;
  fs::remove_all(path_, ignored);
  if (lock_ >= 0) ::close(lock_);
}

ScratchFolder::Writing::Writing() { folders().mutex.lock(); }
ScratchFolder::Writing::~Writing() { folders().mutex.unlock(); }

void ScratchFolder::remove_all() {
  folders().mutex.lock();  // for ever: the process is about to end
  std::error_code ignored;
  for (const fs::path& path : folders().paths) fs::remove_all(path, ignored);
}

}  // namespace idlemeter
