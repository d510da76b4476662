// Idle Meter: a face file whose changes can be undone.
#pragma once

#include <filesystem>
#include <string>

namespace idlemeter {

/// A face file whose changes can be undone. Texts that were replaced (at most 100) are kept in the user's state
/// folder. One thread at a time; every call throws Error if a file can't be read or written.
class FaceFile {
 public:
  /// `past`: the folder for what was replaced; empty: $XDG_STATE_HOME/idlemeter/faces, else ~/.local/state/….
  explicit FaceFile(std::filesystem::path file, std::filesystem::path past = {});

  [[nodiscard]] std::string text() const;

  /// Replaces the text; the one that was there, including changes made by hand, can be restored.
  void write(const std::string& text);

  /// Undoes the last write(); redo() undoes the last undo(). False if there is none.
  [[nodiscard]] bool undo();
  [[nodiscard]] bool redo();

 private:
  bool swap(const char* from, const char* to);

  std::filesystem::path file_, past_;
};

}  // namespace idlemeter
