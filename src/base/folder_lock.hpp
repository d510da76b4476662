// Keeps writers of one folder's files apart.
#pragma once

#include <filesystem>

namespace idlemeter::base {

/// Waits until no other FolderLock of any thread or process holds the folder, and holds it until it is destroyed. Does
/// nothing where the folder can't be opened or the file system has no locks.
class FolderLock {
 public:
  explicit FolderLock(const std::filesystem::path& folder);
  FolderLock(const FolderLock&) = delete;
  FolderLock& operator=(const FolderLock&) = delete;
  ~FolderLock();

 private:
  int fd_;
};

}  // namespace idlemeter::base
