#include "base/unnamed_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdlib>
#include <ctime>
#include <string_view>

namespace idlemeter::base {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view kPrefix = ".idlemeter.", kSuffix = ".part";

fs::path folder_of(const fs::path& file) { return file.has_parent_path() ? file.parent_path() : fs::path("."); }

/// A symbolic link that somebody else has put into a folder where everybody may put files, as /tmp. The kernel doesn't
/// follow it either, where fs.protected_symlinks is on.
bool is_foreign(const struct stat& link, const fs::path& folder) {
  struct stat around {};
  if (::stat(folder.c_str(), &around) != 0) return true;
  const bool is_open = (around.st_mode & S_ISVTX) != 0 && (around.st_mode & S_IWOTH) != 0;
  return is_open && link.st_uid != ::geteuid() && link.st_uid != around.st_uid;
}

/// The place that a chain of symbolic links ends at, whether a file is there or not. Empty, with errno, if it may not
/// be followed.
fs::path target_of(fs::path file) {
  constexpr int kMostLinks = 40;
  struct stat about {};
  for (int i = 0; ::lstat(file.c_str(), &about) == 0 && S_ISLNK(about.st_mode); ++i) {
    const bool is_loop = i == kMostLinks;
    std::error_code failed;
    const fs::path link = fs::read_symlink(file, failed);
    if (is_loop || failed || is_foreign(about, folder_of(file))) {
      errno = is_loop ? ELOOP : failed ? failed.value() : EACCES;
      return {};
    }
    file = link.is_absolute() ? link : file.parent_path() / link;
  }
  return file;
}

/// Short, so that it fits beside every name: another one for each file of each process.
std::string name_for_now() {
  static std::atomic<unsigned> last = 0;
  return fmt::format("{}{}.{}{}", kPrefix, ::getpid(), ++last, kSuffix);
}

/// What processes that were killed have left in a folder, unless it is so new that its process may be in a container
/// with other numbers.
void remove_leftovers(const fs::path& folder) {
  constexpr time_t kOld = 60;
  std::error_code ignored;
  for (const fs::directory_entry& entry : fs::directory_iterator(folder, ignored)) {
    const std::string name = entry.path().filename().string();
    // A store has files of SQLite's beside it: ".part-wal".
    if (!name.starts_with(kPrefix) || name.find(kSuffix) == std::string::npos) continue;
    struct stat about {};
    const int process = std::atoi(name.c_str() + kPrefix.size());
    const bool is_gone = process > 0 && ::kill(process, 0) != 0 && errno == ESRCH;
    if (is_gone && ::lstat(entry.path().c_str(), &about) == 0 && S_ISREG(about.st_mode) &&
        about.st_uid == ::geteuid() && ::time(nullptr) - about.st_mtime > kOld)
      ::unlink(entry.path().c_str());
  }
}

}  // namespace

fs::path name_beside(const fs::path& target) {
  const fs::path folder = folder_of(target);
  remove_leftovers(folder);
  return folder / name_for_now();
}

int rename_to_new(const fs::path& whole, const fs::path& target) {
  if (::renameat2(AT_FDCWD, whole.c_str(), AT_FDCWD, target.c_str(), RENAME_NOREPLACE) == 0) return 0;
  if (errno != EINVAL && errno != ENOSYS) return errno;  // some file systems don't know the flag
  if (::link(whole.c_str(), target.c_str()) != 0) return errno;
  ::unlink(whole.c_str());
  return 0;
}

UnnamedFile::UnnamedFile(const fs::path& target) : target_(target_of(target)) {
  constexpr mode_t kUsual = 0666;  // less what the user's mask takes
  if (target_.empty()) {
    error_ = errno;
    return;
  }
  struct stat about {};
  const bool is_there = ::stat(target_.c_str(), &about) == 0;
  if (is_there && !S_ISREG(about.st_mode)) {
    error_ = S_ISDIR(about.st_mode) ? EISDIR : EEXIST;
    return;
  }
  const fs::path folder = folder_of(target_);
  remove_leftovers(folder);
  fd_ = ::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, kUsual);
  if (fd_ < 0) {
    name_ = (folder / name_for_now()).string();
    fd_ = ::open(name_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, kUsual);
  }
  if (fd_ < 0 || (is_there && ::fchmod(fd_, about.st_mode & 07777) != 0)) error_ = errno;
  if (fd_ < 0) name_.clear();
}

UnnamedFile::~UnnamedFile() {
  if (!name_.empty()) ::unlink(name_.c_str());
  if (fd_ >= 0) ::close(fd_);
}

/// 0, or an errno. A file without a name can't replace another: it gets one beside it for a moment.
int UnnamedFile::name_it() {
  const std::string open = fmt::format("/proc/self/fd/{}", fd_);
  const std::string beside = (folder_of(target_) / name_for_now()).string();
  ::unlink(beside.c_str());  // of a process of that number that was killed
  if (::linkat(AT_FDCWD, open.c_str(), AT_FDCWD, beside.c_str(), AT_SYMLINK_FOLLOW) != 0) return errno;
  name_ = beside;
  return 0;
}

int UnnamedFile::keep() {
  if (::fsync(fd_) != 0) return errno;
  if (const int error = name_.empty() ? name_it() : 0; error != 0) return error;
  if (::rename(name_.c_str(), target_.c_str()) != 0) return errno;
  name_.clear();
  return 0;
}

}  // namespace idlemeter::base
