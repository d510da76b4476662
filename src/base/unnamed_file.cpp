#include "base/unnamed_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>

namespace idlemeter::base {
namespace {

namespace fs = std::filesystem;

/// The place that a chain of symbolic links ends at, whether a file is there or not.
fs::path target_of(fs::path file) {
  constexpr int kMostLinks = 40;
  std::error_code failed;
  for (int i = 0; i < kMostLinks && fs::is_symlink(fs::symlink_status(file, failed)); ++i) {
    const fs::path link = fs::read_symlink(file, failed);
    if (failed) return file;
    file = link.is_absolute() ? link : file.parent_path() / link;
  }
  return file;
}

}  // namespace

UnnamedFile::UnnamedFile(const fs::path& target) : target_(target_of(target)) {
  constexpr mode_t kUsual = 0666;  // less what the user's mask takes
  struct stat about {};
  const bool is_there = ::stat(target_.c_str(), &about) == 0;
  if (is_there && !S_ISREG(about.st_mode)) {
    error_ = S_ISDIR(about.st_mode) ? EISDIR : EEXIST;
    return;
  }
  const fs::path folder = target_.has_parent_path() ? target_.parent_path() : ".";
  fd_ = ::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, kUsual);
  if (fd_ < 0) {
    name_ = (folder / fmt::format(".{}.{}.part", target_.filename().string(), ::getpid())).string();
    fd_ = ::open(name_.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC | O_NOFOLLOW, kUsual);
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
  const std::string beside =
      (target_.parent_path() / fmt::format(".{}.{}.part", target_.filename().string(), ::getpid())).string();
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
