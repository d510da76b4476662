#include "idlemeter/face/kept_faces.hpp"

#include <algorithm>

#include "idlemeter/base/user_folder.hpp"

namespace idlemeter {

namespace fs = std::filesystem;

fs::path usual_faces_folder() { return user_folder("XDG_CONFIG_HOME", ".config") / "faces"; }

std::vector<KeptFace> kept_faces(const fs::path& folder) {
  std::vector<KeptFace> faces;
  std::error_code absent;
  for (const fs::directory_entry& entry : fs::directory_iterator(folder, absent)) {
    const fs::path& path = entry.path();
    if (path.filename().string().starts_with('.')) continue;
    if (entry.is_directory(absent) && fs::exists(path / "face.toml"))
      faces.push_back({path.filename(), path / "face.toml"});
    if (entry.is_regular_file(absent) && path.extension() == ".toml") faces.push_back({path.stem(), path});
  }
  std::sort(faces.begin(), faces.end(), [](const KeptFace& a, const KeptFace& b) { return a.name < b.name; });
  return faces;
}

std::optional<fs::path> kept_face(std::string_view name, const fs::path& folder) {
  if (name.empty() || name.find('/') != std::string_view::npos || name.starts_with('.')) return std::nullopt;
  for (const fs::path& file : {folder / (std::string(name) + ".toml"), folder / name / "face.toml"}) {
    if (fs::is_regular_file(file)) return file;
  }
  return std::nullopt;
}

}  // namespace idlemeter
