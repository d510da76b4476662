// Idle Meter: folders that are removed when they are no longer needed.
#pragma once

#include <filesystem>

namespace idlemeter {

/// A new folder for this user alone, in $TMPDIR or /tmp; gone at the end. Those of programs that were killed are
/// removed when the next one is made.
class ScratchFolder {
 public:
  /// Throws Error if it can't be made.
  ScratchFolder();
  ScratchFolder(const ScratchFolder&) = delete;
  ScratchFolder& operator=(const ScratchFolder&) = delete;
  ~ScratchFolder();

  [[nodiscard]] const std::filesystem::path& path() const { return path_; }

  /// Removes all scratch folders, for a process that ends without running destructors, as by a signal. Waits for
  /// threads that hold Writing, and blocks all later ones. Any thread.
  static void remove_all();

  /// Held while anything is written into a scratch folder, so that nothing is written after remove_all().
  class Writing {
   public:
    Writing();
    Writing(const Writing&) = delete;
    Writing& operator=(const Writing&) = delete;
    ~Writing();
  };

 private:
  std::filesystem::path path_;
  int lock_ = -1;  // held while its program lives
};

}  // namespace idlemeter
