#include "idlemeter/face/face_file.hpp"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "face/format/toml_reader.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/user_folder.hpp"

namespace idlemeter {
namespace {

using namespace face;

namespace fs = std::filesystem;

constexpr std::size_t kMostKept = 100;  // texts that can be restored

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
  replace_file(file_, text, FileKind::toml);
}

bool FaceFile::swap(const char* from, const char* to) {
  nlohmann::json past = read_past(past_);
  if (past[from].empty()) return false;
  const std::string text = past[from].back();
  push(past[to], this->text());
  past[from].erase(past[from].size() - 1);
  write_past(past_, past);
  replace_file(file_, text, FileKind::toml);
  return true;
}

bool FaceFile::undo() { return swap("undo", "redo"); }
bool FaceFile::redo() { return swap("redo", "undo"); }

}  // namespace idlemeter
