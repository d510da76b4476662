// A folder that is removed when it is no longer needed.
#pragma once

#include <filesystem>
#include <memory>

#include "idlemeter/base/scratch_folder.hpp"

namespace idlemeter::cli {

/// Also gone if a signal ends the command: see watch_signals().
class TemporaryFolder {
 public:
  /// Throws Error if it can't be made.
  TemporaryFolder();
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  ~TemporaryFolder();

  [[nodiscard]] const std::filesystem::path& path() const { return folder_->path(); }

  /// Removes all that there are, for a process that ends without its destructors. Waits for whoever is Writing, and
  /// lets nobody write afterwards. Any thread.
  static void remove_all();

  /// Held while anything is written into a temporary folder, so that nothing is written after remove_all().
  class Writing {
   public:
    Writing();
    Writing(const Writing&) = delete;
    Writing& operator=(const Writing&) = delete;
    ~Writing();
  };

 private:
  std::unique_ptr<ScratchFolder> folder_;
};

}  // namespace idlemeter::cli
