// A disk that takes its time: nothing is synced while a test holds it.
#pragma once

#include <sqlite3.h>

#include <condition_variable>
#include <map>
#include <mutex>

namespace idlemeter::testing {

/// SQLite's usual file system for as long as it lives, one at a time, for stores that are opened meanwhile.
class HeldDisk {
 public:
  HeldDisk() : real_(sqlite3_vfs_find(nullptr)), own_(*real_) {
    self_ = this;
    own_.zName = "held";
    own_.xOpen = [](sqlite3_vfs*, const char* name, sqlite3_file* file, int flags, int* out) {
      const int result = self_->real_->xOpen(self_->real_, name, file, flags, out);
      if (file->pMethods != nullptr) file->pMethods = self_->held(file->pMethods);
      return result;
    };
    sqlite3_vfs_register(&own_, 1);
  }
  HeldDisk(const HeldDisk&) = delete;
  HeldDisk& operator=(const HeldDisk&) = delete;
  ~HeldDisk() { sqlite3_vfs_unregister(&own_); }

  void hold() {
    const std::lock_guard lock(mutex_);
    holds_ = true;
  }
  void release() {
    const std::lock_guard lock(mutex_);
    holds_ = false;
    changed_.notify_all();
  }

  /// How many syncs had to wait.
  [[nodiscard]] int waits() const {
    const std::lock_guard lock(mutex_);
    return waits_;
  }

 private:
  const sqlite3_io_methods* held(const sqlite3_io_methods* real) {
    const std::lock_guard lock(mutex_);
    const auto [entry, is_new] = methods_.try_emplace(real, *real);
    real_sync_ = real->xSync;  // the same for all kinds of files
    entry->second.xSync = [](sqlite3_file* file, int flags) {
      std::unique_lock held(self_->mutex_);
      self_->waits_ += self_->holds_ ? 1 : 0;
      self_->changed_.wait(held, [] { return !self_->holds_; });
      held.unlock();
      return self_->real_sync_(file, flags);
    };
    return &entry->second;
  }

  static inline HeldDisk* self_ = nullptr;
  sqlite3_vfs* real_;
  sqlite3_vfs own_;
  int (*real_sync_)(sqlite3_file*, int) = nullptr;
  mutable std::mutex mutex_;
  std::condition_variable changed_;
  bool holds_ = false;
  int waits_ = 0;
  std::map<const sqlite3_io_methods*, sqlite3_io_methods> methods_;
};

}  // namespace idlemeter::testing
