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

bool begins_run_file(std::string_view bytes) {
  constexpr std::size_t kEnough = 256;
  std::string dense(bytes.substr(0, kEnough));
  std::erase_if(dense, [](char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; });
  return dense.starts_with(R"({"format":"idle-meter-runs")");
}

FileKind kind_of_file(const fs::path& file) {
  constexpr std::size_t kEnough = 64 * 1024;
  const Descriptor opened(::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY));
  struct stat about {};
  if (*opened < 0 || ::fstat(*opened, &about) != 0 || !S_ISREG(about.st_mode)) return FileKind::other;
  std::string bytes(kEnough, '\0');
  const ssize_t got = ::read(*opened, bytes.data(), bytes.size());
  bytes.resize(static_cast<std::size_t>(std::max<ssize_t>(0, got)));
  const auto has_line = [&](std::string_view begin) {
    return bytes.starts_with(begin) || bytes.find("\n" + std::string(begin)) != std::string::npos;
  };
  if (bytes.starts_with(std::string_view("SQLite format 3\0", 16))) return FileKind::store;
  if (bytes.starts_with("PK\3\4")) return FileKind::bundle;
  if (begins_run_file(bytes)) return FileKind::run_file;
  const bool is_toml = (file.extension() == ".toml" && !bytes.empty()) || has_line("[[row]]") || has_line("[[pin]]");
  return is_toml ? FileKind::toml : FileKind::other;
}

void expect_replaceable(const fs::path& output, FileKind writes, std::span<const fs::path> inputs) {
  std::error_code unknown;
  for (const fs::path& input : inputs) {
    if (fs::equivalent(input, output, unknown) && fs::is_regular_file(output, unknown))
      throw Error(Error::Code::exists, "is read and would be overwritten", output.string(), "name another file");
  }
  const FileKind there = kind_of_file(output);
  if (there == FileKind::other || there == writes) return;
  constexpr std::string_view kNames[] = {"", "a store of runs", "a face or a settings file", "a packed face",
                                         "a file of runs"};
  throw Error(Error::Code::exists,
              fmt::format("is {}, and isn't replaced by something else", kNames[static_cast<std::size_t>(there)]),
              output.string(), "name another file, or remove this one first");
}

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

void replace_file(const fs::path& file, std::string_view content, FileKind writes) {
  std::error_code failed;
  expect_replaceable(file, writes);
  if (file.has_parent_path()) fs::create_directories(file.parent_path(), failed);
  if (const std::string problem = write_whole_file(file, content); !problem.empty())
    throw Error(Error::Code::unwritable, fmt::format("cannot write the file ({})", problem), file.string(),
                "name one in a folder that you may write to");
}

}  // namespace idlemeter
