#include "tree.hpp"

#include <fcntl.h>
#include <string.h>
#include <unistd.h>

#include <cerrno>

#include "idlemeter/base/error.hpp"

namespace idlemeter::rig {

namespace fs = std::filesystem;

Tree::Tree(fs::path folder) : folder_(std::move(folder)) {
  std::error_code failed;
  fs::create_directories(folder_, failed);
  if (failed) throw Error(Error::Code::unwritable, "cannot make the folder: " + failed.message(), folder_.string());
}

void Tree::set(const std::string& path, const std::string& text) {
  const auto [entry, is_new] = written_.try_emplace(path, text);
  if (!is_new && entry->second == text) return;
  const bool shorter = is_new || text.size() < entry->second.size();
  entry->second = text;
  const fs::path file = folder_ / path;
  if (is_new) fs::create_directories(file.parent_path());
  const std::string line = text + "\n";
  // Overwritten, and cut only if needed: ext4 flushes a file that was truncated to nothing first, which is slow.
  const int opened = ::open(file.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0644);
  const auto size = static_cast<ssize_t>(line.size());
  const bool wrote =
      opened >= 0 && ::write(opened, line.data(), line.size()) == size && (!shorter || ::ftruncate(opened, size) == 0);
  const int error = errno;
  if (opened >= 0) ::close(opened);
  if (!wrote) throw Error(Error::Code::unwritable, std::string("cannot write: ") + ::strerror(error), file.string());
}

void Tree::link(const std::string& path, const std::string& target) {
  const fs::path at = folder_ / path;
  fs::create_directories(at.parent_path());
  fs::create_directories((folder_ / target).parent_path());
  std::error_code ignored;
  fs::remove(at, ignored);
  fs::create_symlink(fs::relative(folder_ / target, at.parent_path()), at);
}

void Tree::remove(const std::string& path) {
  fs::remove_all(folder_ / path);
  std::erase_if(written_, [&](const auto& entry) { return entry.first.starts_with(path); });
}

}  // namespace idlemeter::rig
