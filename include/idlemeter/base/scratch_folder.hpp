// Idle Meter: a temporary folder.
#pragma once

#include <filesystem>

namespace idlemeter {

/// A new folder for this user alone, in $TMPDIR or /tmp; gone at the end. Those of programs that were killed are
/// removed when the next one is made. Throws Error if it can't be made.
class ScratchFolder {
 public:
  ScratchFolder();
  ScratchFolder(const ScratchFolder&) = delete;
  ScratchFolder& operator=(const ScratchFolder&) = delete;
  ~ScratchFolder();

  [[nodiscard]] const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
  int lock_ = -1;  // held while its program lives
};

}  // namespace idlemeter
