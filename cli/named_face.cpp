#include "named_face.hpp"

#include <fmt/format.h>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/draw/write_starter.hpp"
#include "idlemeter/face/kept_faces.hpp"
#include "idlemeter/face/starters.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

bool is_file_name(const std::string& name) { return name.find('/') != std::string::npos || name.ends_with(".toml"); }

[[noreturn]] void throw_unknown(const std::string& name) {
  const auto kept = kept_faces(usual_faces_folder());
  std::vector<std::string_view> names;
  for (const KeptFace& face : kept) names.push_back(face.name);
  for (const Starter& starter : starters()) names.push_back(starter.name);
  throw Error(fmt::format("there is no face '{}'{}", name, did_you_mean(name, names)), "",
              "'idlemeter face list' lists all; a file's name ends in .toml");
}

}  // namespace

NamedFace::NamedFace(const std::string& name) : file_(name) {
  if (is_file_name(name) || fs::is_regular_file(name)) return;
  if (const auto kept = kept_face(name, usual_faces_folder())) {
    file_ = *kept;
    return;
  }
  const Starter* starter = find_starter(name);
  if (starter == nullptr) throw_unknown(name);
  const ScratchFolder::Writing writing;
  starter_ = std::make_unique<ScratchFolder>();
  file_ = starter_->path() / (name + ".toml");
  write_starter(*starter, file_);
}

fs::path new_face_file(const std::string& name, bool with_pictures) {
  if (is_file_name(name)) return name;
  const fs::path folder = usual_faces_folder();
  if (const auto taken = kept_face(name, folder))
    throw Error("already exists", taken->string(), "take another name, or remove this one first");
  if (name.empty() || name.starts_with('.')) throw Error(fmt::format("'{}' can't be the name of a face", name));
  return with_pictures ? folder / name / "face.toml" : folder / (name + ".toml");
}

}  // namespace idlemeter::cli
