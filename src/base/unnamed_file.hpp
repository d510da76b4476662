// A file that has no name until it is whole.
#pragma once

#include <filesystem>
#include <string>

namespace idlemeter::base {

/// What is to be at `target`, as a new file or in place of a regular one, whose permissions it gets. Whatever ends the
/// program before keep(): nothing is left, and an older file is as it was. (Where the file system knows no files
/// without a name it is a hidden one beside the target, which SIGKILL leaves.)
class UnnamedFile {
 public:
  /// In the folder of `target`; of a chain of symbolic links, where it ends. Links that somebody else has put into a
  /// folder that is open to all aren't followed (EACCES). Removes what killed processes have left in that folder.
  explicit UnnamedFile(const std::filesystem::path& target);
  UnnamedFile(const UnnamedFile&) = delete;
  UnnamedFile& operator=(const UnnamedFile&) = delete;
  ~UnnamedFile();

  /// Why it can't be made, as an errno; 0 if it could.
  [[nodiscard]] int error() const { return error_; }

  /// To read from and write to.
  [[nodiscard]] int descriptor() const { return fd_; }

  /// Syncs it and gives it the target's name, in one step. 0, or an errno.
  [[nodiscard]] int keep();

 private:
  [[nodiscard]] int name_it();

  std::filesystem::path target_;
  std::string name_;  ///< the one that it has meanwhile
  int fd_ = -1, error_ = 0;
};

/// A name beside a file that is to be made, for as long as it isn't whole: nobody else has it. What killed processes
/// have left under such names is removed.
[[nodiscard]] std::filesystem::path name_beside(const std::filesystem::path& target);

/// Gives a file that is whole its name. 0, or an errno: EEXIST if something has that name already.
[[nodiscard]] int rename_to_new(const std::filesystem::path& whole, const std::filesystem::path& target);

}  // namespace idlemeter::base
