// A file that has no name until it is whole.
#pragma once

#include <filesystem>
#include <string>

namespace idlemeter::footage {

/// Whatever ends the program before keep(): nothing is left, but where the file system knows no files without a name.
/// There it is a hidden file beside the target, which an end by SIGKILL leaves.
class UnnamedFile {
 public:
  /// In the folder of `target`. Throws Error.
  explicit UnnamedFile(std::filesystem::path target);
  UnnamedFile(const UnnamedFile&) = delete;
  UnnamedFile& operator=(const UnnamedFile&) = delete;
  ~UnnamedFile();

  [[nodiscard]] int descriptor() const { return fd_; }

  /// Syncs it and gives it the target's name, in one step. Throws Error.
  void keep();

 private:
  std::filesystem::path target_;
  std::string name_;  ///< where it has one meanwhile
  int fd_ = -1;
};

}  // namespace idlemeter::footage
