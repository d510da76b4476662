#include "footage/unnamed_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <string.h>
#include <unistd.h>

#include <cerrno>

#include "idlemeter/base/error.hpp"

namespace idlemeter::footage {
namespace {

namespace fs = std::filesystem;

[[noreturn]] void fail(const fs::path& file) {
  throw Error(Error::Code::unwritable, fmt::format("cannot write the file ({})", ::strerror(errno)), file.string(),
              "name one in a folder that you may write to");
}

}  // namespace

UnnamedFile::UnnamedFile(fs::path target) : target_(std::move(target)) {
  std::error_code failed;
  if (fs::exists(target_, failed) && !fs::is_regular_file(target_, failed)) {
    errno = EEXIST;
    fail(target_);
  }
  if (fs::exists(target_, failed)) target_ = fs::canonical(target_);  // a link stays, and what it names is written
  const fs::path folder = target_.has_parent_path() ? target_.parent_path() : ".";
  fd_ = ::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0666);
  if (fd_ >= 0) return;
  name_ = (folder / fmt::format(".{}.{}.part", target_.filename().string(), ::getpid())).string();
  fd_ = ::open(name_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0666);
  if (fd_ < 0) fail(target_);
}

UnnamedFile::~UnnamedFile() {
  if (!name_.empty()) ::unlink(name_.c_str());
  if (fd_ >= 0) ::close(fd_);
}

void UnnamedFile::keep() {
  if (::fsync(fd_) != 0) fail(target_);
  if (name_.empty()) {
    const std::string open = fmt::format("/proc/self/fd/{}", fd_);
    const std::string beside = fmt::format("{}.{}.part", target_.string(), ::getpid());
    if (::linkat(AT_FDCWD, open.c_str(), AT_FDCWD, beside.c_str(), AT_SYMLINK_FOLLOW) != 0) fail(target_);
    name_ = beside;  // for a moment: a file without a name can't replace another
  }
  if (::rename(name_.c_str(), target_.c_str()) != 0) fail(target_);
  name_.clear();
}

}  // namespace idlemeter::footage
