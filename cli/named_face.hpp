// Faces as they are named on the command line.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"

namespace idlemeter::cli {

/// A face by a file's name, a kept face's or a starter's: the first that there is.
class NamedFace {
 public:
  /// Throws Error with the nearest names if there is none.
  explicit NamedFace(const std::string& name);

  [[nodiscard]] const std::filesystem::path& file() const { return file_; }
  [[nodiscard]] bool is_starter() const { return starter_ != nullptr; }

  /// Throws Error with all that is wrong.
  [[nodiscard]] Face load() const { return load_face(file_); }

 private:
  std::filesystem::path file_;
  std::unique_ptr<ScratchFolder> starter_;  // holds one that was written out
};

/// The file that a new face of that name goes to: NAME itself if it is a path or ends in .toml, else below the
/// user's faces.
std::filesystem::path new_face_file(const std::string& name, bool with_pictures);

}  // namespace idlemeter::cli
