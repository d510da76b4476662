#include "idlemeter/face/kept_faces.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/user_folder.hpp"

namespace idlemeter {

namespace fs = std::filesystem;

fs::path usual_faces_folder() { return user_folder("XDG_CONFIG_HOME", ".config") / "faces"; }

void expect_face_name(std::string_view name) {
  constexpr std::size_t kMostBytes = 200;  // with an ending, as a file's name
  if (!name.empty() && name.size() <= kMostBytes && !name.starts_with('.') && !name.ends_with(".toml") &&
      name.find('/') == std::string_view::npos && printable(name) == name)
    return;
  throw Error(Error::Code::invalid, fmt::format("'{}' can't be the name of a face", cut_to(printable(name), 60)), "",
              "use letters, digits, '-' and blanks");
}

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
  if (name.empty() || name.find_first_of(std::string_view("/\0", 2)) != std::string_view::npos || name.starts_with('.'))
    return std::nullopt;
  for (const fs::path& file : {folder / (std::string(name) + ".toml"), folder / name / "face.toml"}) {
    std::error_code unknown;  // a name may be too long, a link lead in circles
    if (fs::is_regular_file(file, unknown)) return file;
  }
  return std::nullopt;
}

}  // namespace idlemeter
