#include "idlemeter/base/file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <utility>

#include "base/unnamed_file.hpp"
#include "idlemeter/base/error.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

/// A descriptor that is closed in the end.
class Descriptor {
 public:
  explicit Descriptor(int fd) : fd_(fd) {}
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor() {
    if (fd_ >= 0) ::close(fd_);
  }
  [[nodiscard]] int operator*() const { return fd_; }
  /// 0, or why data may be lost.
  int close() { return ::close(std::exchange(fd_, -1)) == 0 ? 0 : errno; }

 private:
  int fd_;
};

std::string size_words(std::size_t bytes) {
  return bytes >= 1 << 20 ? fmt::format("{} MiB", bytes >> 20) : fmt::format("{} KiB", bytes >> 10);
}

/// 0, or an errno.
int write_all(int fd, std::string_view bytes) {
  while (!bytes.empty()) {
    const ssize_t written = ::write(fd, bytes.data(), bytes.size());
    if (written < 0 && errno != EINTR) return errno;
    if (written > 0) bytes.remove_prefix(static_cast<std::size_t>(written));
  }
  return 0;
}

int replace(const fs::path& file, std::string_view bytes) {
  base::UnnamedFile whole(file);
  if (whole.error() != 0) return whole.error();
  const int error = write_all(whole.descriptor(), bytes);
  return error != 0 ? error : whole.keep();
}

}  // namespace

FileBytes read_regular_file(const fs::path& file, std::size_t most) {
  const Descriptor opened(::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY));
  struct stat about {};
  if (*opened < 0 || ::fstat(*opened, &about) != 0) return {"", ::strerror(errno)};
  if (!S_ISREG(about.st_mode)) return {"", "is not a regular file"};
  FileBytes result;
  char buffer[64 * 1024];
  for (;;) {
    const ssize_t got = ::read(*opened, buffer, sizeof buffer);
    if (got == 0) return result;
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return {"", ::strerror(errno)};
    result.bytes.append(buffer, static_cast<std::size_t>(got));
    if (result.bytes.size() > most) return {"", "is larger than " + size_words(most)};
  }
}

std::string write_whole_file(const fs::path& named, std::string_view bytes) {
  struct stat about {};
  const bool there = ::stat(named.c_str(), &about) == 0;
  int error = 0;
  if (there && !S_ISREG(about.st_mode)) {
    Descriptor device(::open(named.c_str(), O_WRONLY | O_CLOEXEC | O_NOCTTY));
    error = *device < 0 ? errno : write_all(*device, bytes);
    if (*device >= 0) {
      if (const int late = device.close(); error == 0) error = late;
    }
  } else {
    error = replace(named, bytes);
  }
  return error == 0 ? "" : ::strerror(error);
}

void replace_file(const fs::path& file, std::string_view content) {
  std::error_code failed;
  if (file.has_parent_path()) fs::create_directories(file.parent_path(), failed);
  if (const std::string problem = write_whole_file(file, content); !problem.empty())
    throw Error(Error::Code::unwritable, fmt::format("cannot write the file ({})", problem), file.string(),
                "name one in a folder that you may write to");
}

}  // namespace idlemeter
