// A file that others save while it is in use.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <utility>

namespace idlemeter {

/// Notices every save, also one that puts another file in its place. Asks the file system at each call: a few
/// microseconds. One thread at a time.
class WatchedFile {
 public:
  explicit WatchedFile(std::filesystem::path file) : file_(std::move(file)) {}

  [[nodiscard]] const std::filesystem::path& path() const { return file_; }

  /// Whether it was saved, moved away or brought back since the last call; true at the first one.
  [[nodiscard]] bool has_changed();

  /// Whether it was there at the last call of has_changed().
  [[nodiscard]] bool is_there() const { return is_there_; }

 private:
  using State = std::pair<std::filesystem::file_time_type, std::uintmax_t>;

  std::filesystem::path file_;
  std::optional<State> seen_;
  bool is_there_ = false;
};

}  // namespace idlemeter
