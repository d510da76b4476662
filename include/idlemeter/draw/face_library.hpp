// Idle Meter: faces by name, the user's own and the starters.
#pragma once

#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/kept_faces.hpp"
#include "idlemeter/face/starters.hpp"

namespace idlemeter {

/// Faces by a file's name, a kept face's or a starter's: the first that there is. A name with a '/' or that ends in
/// ".toml" is a file's. One thread at a time.
class FaceLibrary {
 public:
  explicit FaceLibrary(std::filesystem::path folder = usual_faces_folder()) : folder_(std::move(folder)) {}

  /// Kept faces, then starters.
  [[nodiscard]] std::vector<std::string> names() const;

  /// The file of a face. A starter is written to a temporary file, which the library removes in its destructor. Throws
  /// Error (not_found), naming the nearest face, if no face has that name.
  [[nodiscard]] std::filesystem::path file_of(const std::string& name);

  /// Throws Error as file_of() does, or listing every mistake in the face.
  [[nodiscard]] Face load(const std::string& name);

  /// The file of a face that the user may edit. Throws Error as file_of() does, or if the face is a starter.
  [[nodiscard]] std::filesystem::path own_file_of(const std::string& name) const;

  /// Makes a new face from a starter. Returns its file. Throws Error if the name is taken.
  std::filesystem::path add(const std::string& name, const Starter& starter) const;

  /// A face that was copied, and how many pictures with it.
  struct Copied {
    std::filesystem::path file;
    std::size_t pictures = 0;
  };

  /// Copies a face and its pictures, byte by byte. Throws Error if the name, the file or a picture already exists.
  Copied copy(const std::string& from, const std::string& to);

  /// Writes a face and its pictures into one file. Throws Error as pack_face().
  void pack(const std::string& name, const std::filesystem::path& bundle);

  /// Keeps the face of a bundle under a name. Returns its file. Throws Error as unpack_face().
  [[nodiscard]] std::filesystem::path unpack(const std::filesystem::path& bundle, const std::string& name) const;

 private:
  /// Empty if it is a starter's name, or nobody's.
  [[nodiscard]] std::optional<std::filesystem::path> user_file_of(const std::string& name) const;
  [[nodiscard]] std::filesystem::path new_file(const std::string& name, bool with_pictures) const;
  [[noreturn]] void throw_unknown(const std::string& name) const;

  std::filesystem::path folder_;
  std::map<std::string, std::unique_ptr<ScratchFolder>> starters_;  // those written so far
};

}  // namespace idlemeter
