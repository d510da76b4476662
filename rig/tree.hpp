// A folder tree that looks like a machine's /proc and /sys.
#pragma once

#include <filesystem>
#include <map>
#include <string>

namespace idlemeter::rig {

/// Writes files below a folder; a file is only written if its text has changed. One thread at a time.
class Tree {
 public:
  /// Throws Error if the folder can't be made.
  explicit Tree(std::filesystem::path folder);

  [[nodiscard]] const std::filesystem::path& folder() const { return folder_; }

  /// `path` relative to the folder; a line end is added. Throws Error if it can't be written.
  void set(const std::string& path, const std::string& text);

  /// A link at `path` to `target`, both relative to the folder.
  void link(const std::string& path, const std::string& target);

  /// Removes a file or a folder, as when a device goes.
  void remove(const std::string& path);

 private:
  std::filesystem::path folder_;
  std::map<std::string, std::string> written_;
};

}  // namespace idlemeter::rig
