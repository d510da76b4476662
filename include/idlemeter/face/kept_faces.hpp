// Idle Meter: the faces that a user keeps by name.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace idlemeter {

/// $XDG_CONFIG_HOME/idlemeter/faces, else ~/.config/idlemeter/faces.
[[nodiscard]] std::filesystem::path usual_faces_folder();

/// Throws Error (invalid) unless a face can be kept under the name: a file's name without control characters that
/// begins with no dot, of up to 200 bytes.
void expect_face_name(std::string_view name);

/// A face that is kept: NAME.toml, or NAME/face.toml with pictures beside it.
struct KeptFace {
  std::string name;
  std::filesystem::path file;
};

/// All of a folder, by name; none if it doesn't exist.
[[nodiscard]] std::vector<KeptFace> kept_faces(const std::filesystem::path& folder);

/// The file of a kept face, or empty.
[[nodiscard]] std::optional<std::filesystem::path> kept_face(std::string_view name,
                                                             const std::filesystem::path& folder);

}  // namespace idlemeter
