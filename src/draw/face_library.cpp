#include "idlemeter/draw/face_library.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/draw/write_starter.hpp"
#include "idlemeter/face/face_bundle.hpp"
#include "idlemeter/face/face_file.hpp"
#include "idlemeter/face/face_toml.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

std::string picture_in(const fs::path& file) {
  FileBytes read = read_regular_file(file, limits::kPictureBytes);
  if (!read.problem.empty()) throw Error(Error::Code::unreadable, read.problem, file.string());
  return std::move(read.bytes);
}

/// A picture that a killed copy has left may be there already.
void expect_same_or_new(const fs::path& from, const fs::path& to) {
  std::error_code absent;
  if (fs::exists(fs::symlink_status(to, absent)) &&
      (fs::equivalent(from, to, absent) || picture_in(from) != picture_in(to)))
    throw Error(Error::Code::exists, "already exists", to.string(), "copy into another folder");
}

void copy_picture(const fs::path& from, const fs::path& to) { replace_file(to, picture_in(from)); }

bool is_file_name(const std::string& name) { return name.find('/') != std::string::npos || name.ends_with(".toml"); }

}  // namespace

std::vector<std::string> FaceLibrary::names() const {
  std::vector<std::string> names;
  for (const KeptFace& kept : kept_faces(folder_)) names.push_back(kept.name);
  for (const Starter& starter : starters()) names.emplace_back(starter.name);
  return names;
}

std::optional<fs::path> FaceLibrary::user_file_of(const std::string& name) const {
  std::error_code unknown;  // a name may be too long, a link lead in circles
  if (is_file_name(name) || fs::is_regular_file(name, unknown)) return name;
  return kept_face(name, folder_);
}

fs::path FaceLibrary::file_of(const std::string& name) {
  if (const auto own = user_file_of(name)) return *own;
  const Starter* starter = find_starter(name);
  if (starter == nullptr) throw_unknown(name);
  const auto written = starters_.find(name);
  if (written != starters_.end()) return written->second->path() / (name + ".toml");
  const ScratchFolder::Writing writing;
  auto folder = std::make_unique<ScratchFolder>();
  fs::path file = folder->path() / (name + ".toml");
  write_starter(*starter, file);
  starters_.emplace(name, std::move(folder));
  return file;
}

Face FaceLibrary::load(const std::string& name) { return load_face(file_of(name)); }

fs::path FaceLibrary::own_file_of(const std::string& name) const {
  if (const auto own = user_file_of(name)) return *own;
  if (find_starter(name) == nullptr) throw_unknown(name);
  throw Error(Error::Code::invalid, fmt::format("'{}' is a starter", name), "", "make a face of your own from it",
              Error::Hint::own_face);
}

void FaceLibrary::throw_unknown(const std::string& name) const {
  const auto all = names();
  const std::string nearest = did_you_mean(name, std::vector<std::string_view>(all.begin(), all.end()));
  throw Error(Error::Code::not_found, fmt::format("there is no face '{}'{}", name, nearest), "",
              "a file's name ends in .toml", Error::Hint::list_faces);
}

fs::path FaceLibrary::new_file(const std::string& name, bool with_pictures) const {
  if (is_file_name(name)) return name;
  if (const auto taken = kept_face(name, folder_))
    throw Error(Error::Code::exists, "already exists", taken->string(), "take another name, or remove this one first");
  expect_face_name(name);
  return with_pictures ? folder_ / name / "face.toml" : folder_ / (name + ".toml");
}

fs::path FaceLibrary::add(const std::string& name, const Starter& starter) const {
  const auto face = parse_face(starter.toml).face;
  fs::path file = new_file(name, face && !pictures_of(*face).empty());
  write_starter(starter, file);
  return file;
}

FaceLibrary::Copied FaceLibrary::copy(const std::string& from, const std::string& to) {
  const fs::path old_file = file_of(from);
  const auto pictures = pictures_of(load_face(old_file));
  const fs::path file = new_file(to, !pictures.empty());
  const fs::path folder = file.parent_path();
  if (fs::exists(file))
    throw Error(Error::Code::exists, "already exists", file.string(), "name another file, or remove this one first");
  for (const std::string& picture : pictures) expect_same_or_new(old_file.parent_path() / picture, folder / picture);
  for (const std::string& picture : pictures) copy_picture(old_file.parent_path() / picture, folder / picture);
  replace_file(file, FaceFile(old_file).text(), FileKind::toml);  // the last: a face that is there is whole
  return {file, pictures.size()};
}

void FaceLibrary::pack(const std::string& name, const fs::path& bundle) { pack_face(file_of(name), bundle); }

fs::path FaceLibrary::unpack(const fs::path& bundle, const std::string& name) const {
  return unpack_face(bundle, name, folder_);
}

}  // namespace idlemeter
