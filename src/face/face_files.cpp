#include "idlemeter/face_files.hpp"

#include <fnmatch.h>

#include <algorithm>
#include <cstdlib>
#include <nlohmann/json.hpp>

#include "base/file.hpp"
#include "face/toml_text.hpp"
#include "idlemeter/error.hpp"
#include "idlemeter/limits.hpp"
#include "readings/user_folder.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kMostKept = 100;  // texts to take back

/// "/home/otter/a b.toml" -> "%2Fhome%2Fotter%2Fa b.toml.json"
std::string past_name(const fs::path& file) {
  std::string name;
  for (char c : fs::weakly_canonical(file).string()) name += c == '/' ? "%2F" : c == '%' ? "%25" : std::string(1, c);
  if (name.size() > 200) name = fmt::format("{}-{:x}", name.substr(name.size() - 180), std::hash<std::string>()(name));
  return name + ".json";
}

nlohmann::json read_past(const fs::path& file) {
  constexpr std::size_t kMostBytes = kMostKept * 2 * limits::kTomlBytes;
  auto past = nlohmann::json::parse(read_regular_file(file, kMostBytes).bytes, nullptr, false);
  const bool right = past.is_object() && past.value("undo", nlohmann::json()).is_array() &&
                     past.value("redo", nlohmann::json()).is_array();
  return right ? past : nlohmann::json{{"undo", nlohmann::json::array()}, {"redo", nlohmann::json::array()}};
}

void push(nlohmann::json& texts, const std::string& text) {
  texts.push_back(text);
  if (texts.size() > kMostKept) texts.erase(0);
}

void write_past(const fs::path& file, const nlohmann::json& past) {
  replace_file(file, past.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
}

}  // namespace

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

std::optional<ChosenFace> face_for(const Settings& settings, const fs::path& executable) {
  for (std::size_t i = 0; i < settings.games.size(); ++i) {
    const GameRule& rule = settings.games[i];
    const bool by_path = rule.program.find('/') != std::string::npos;
    const std::string subject = by_path ? executable.string() : executable.filename().string();
    if (::fnmatch(rule.program.c_str(), subject.c_str(), FNM_CASEFOLD) == 0) return ChosenFace{rule.face, i};
  }
  return settings.face.empty() ? std::nullopt : std::optional(ChosenFace{settings.face, {}});
}

std::string with_face_chosen(const std::string& settings, std::string_view face, std::string_view program) {
  TomlText text(settings, "settings");
  if (program.empty()) {
    text.set({}, "face", toml_string(face));
    return text.text();
  }
  const toml::array* games = text.root()["game"].as_array();
  const std::size_t rules = games == nullptr ? 0 : games->size();
  for (std::size_t i = 0; i < rules; ++i) {
    const toml::table* rule = games->get(i)->as_table();
    if (rule == nullptr || (*rule)["program"].value_or(std::string()) != program) continue;
    text.set({"game", i}, "face", toml_string(face));
    return text.text();
  }
  text.insert({"game"}, rules,
              fmt::format("[[game]]\nprogram = {}\nface = {}", toml_string(program), toml_string(face)));
  return text.text();
}

std::vector<std::string> pictures_of(const Face& face) {
  std::vector<std::string> pictures;
  const auto add = [&](const std::string& file) {
    if (!file.empty() && std::find(pictures.begin(), pictures.end(), file) == pictures.end()) pictures.push_back(file);
  };
  for (const Row& row : face.rows) {
    for (const Cell& cell : row.cells) add(cell.sheet.file);
  }
  for (const Pin& pin : face.pins) {
    add(pin.cell.sheet.file);
    add(pin.picture);
  }
  return pictures;
}

void replace_file(const fs::path& file, std::string_view content) {
  std::error_code failed;
  if (file.has_parent_path()) fs::create_directories(file.parent_path(), failed);
  if (const std::string problem = write_whole_file(file, content); !problem.empty())
    throw Error(fmt::format("cannot write the file ({})", problem), file.string(),
                "name one in a folder that you may write to");
}

FaceFile::FaceFile(fs::path file, fs::path past) : file_(std::move(file)), past_(std::move(past)) {
  if (past_.empty()) past_ = user_folder("XDG_STATE_HOME", ".local/state") / "faces";
  past_ /= past_name(file_);
}

std::string FaceFile::text() const { return read_toml_file(file_, "face"); }

void FaceFile::write(const std::string& text) {
  const std::string before = this->text();
  nlohmann::json past = read_past(past_);
  push(past["undo"], before);
  past["redo"] = nlohmann::json::array();
  write_past(past_, past);
  replace_file(file_, text);
}

bool FaceFile::swap(const char* from, const char* to) {
  nlohmann::json past = read_past(past_);
  if (past[from].empty()) return false;
  const std::string text = past[from].back();
  push(past[to], this->text());
  past[from].erase(past[from].size() - 1);
  write_past(past_, past);
  replace_file(file_, text);
  return true;
}

bool FaceFile::undo() { return swap("undo", "redo"); }
bool FaceFile::redo() { return swap("redo", "undo"); }

}  // namespace idlemeter
