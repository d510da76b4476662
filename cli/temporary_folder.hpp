// A folder that goes when it is no longer needed.
#pragma once

#include <filesystem>

namespace idlemeter::cli {

/// Also gone if a signal ends the command: see watch_signals().
class TemporaryFolder {
 public:
  /// Throws Error if it can't be made.
  TemporaryFolder();
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  ~TemporaryFolder();

  [[nodiscard]] const std::filesystem::path& path() const { return path_; }

  /// Removes all that there are, for a process that ends without its destructors. Any thread.
  static void remove_all();

 private:
  std::filesystem::path path_;
};

}  // namespace idlemeter::cli
