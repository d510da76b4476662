#include "desk/faces.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <iterator>
#include <optional>

#include "desk/face_json.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/draw/face_library.hpp"
#include "idlemeter/draw/face_preview.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/check_face.hpp"
#include "idlemeter/face/face_bundle.hpp"
#include "idlemeter/face/face_file.hpp"
#include "idlemeter/face/face_text.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/kept_faces.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/settings/chosen_face.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter::desk {
namespace {

namespace fs = std::filesystem;

std::string bytes_of(const fs::path& file, std::size_t most) {
  FileBytes read = read_regular_file(file, most);
  if (!read.problem.empty()) throw Error(Error::Code::unreadable, read.problem, file.string());
  return std::move(read.bytes);
}

/// The pixels of an image that the rectangle touches.
ImagePart part_around(const Rect& rect, const Image& image) {
  const int left = std::clamp(static_cast<int>(std::floor(rect.x)), 0, image.width);
  const int top = std::clamp(static_cast<int>(std::floor(rect.y)), 0, image.height);
  const int right = std::clamp(static_cast<int>(std::ceil(rect.x + rect.width)), left, image.width);
  const int bottom = std::clamp(static_cast<int>(std::ceil(rect.y + rect.height)), top, image.height);
  return {left, top, right - left, bottom - top};
}

Image cut(const Image& image, const ImagePart& part) {
  Image piece(std::max(1, part.width), std::max(1, part.height));
  for (int y = 0; y < part.height; ++y) {
    const auto row = image.pixels.begin() + static_cast<std::ptrdiff_t>(part.y + y) * image.width + part.x;
    std::copy_n(row, part.width, piece.pixels.begin() + static_cast<std::ptrdiff_t>(y) * piece.width);
  }
  return piece;
}

std::optional<std::size_t> place_in(const Json& change, const char* name) {
  const auto found = change.find(name);
  if (found == change.end()) return std::nullopt;
  if (!found->is_number_unsigned()) throw Error(Error::Code::invalid, fmt::format("'{}' is a number from 1", name));
  return found->get<std::size_t>();
}

FaceAddition addition_in(const Json& change) {
  FaceAddition what{
      .row = text_or_none(change, "row"), .before = place_in(change, "before"), .text = text_or_none(change, "text")};
  if (change.contains("reading")) what.readings = {text_in(change, "reading")};
  const auto at = change.find("at");
  if (at == change.end()) return what;
  if (!at->is_array() || at->size() != 2 || !(*at)[0].is_number() || !(*at)[1].is_number())
    throw Error(Error::Code::invalid, "'at' is two numbers");
  what.at = {(*at)[0], (*at)[1]};
  return what;
}

std::string subject(const std::string& face, int width, int height, const std::string& text) {
  return fmt::format("{} {}x{} {}", version_of(text), width, height, face);
}

void make_change(FaceText& text, const Json& change) {
  if (!change.is_object()) throw Error(Error::Code::invalid, "a change is an object");
  const std::string what = text_in(change, "do");
  if (what == "set") return text.set(text_in(change, "part"), text_in(change, "key"), text_in(change, "value"));
  if (what == "unset") return text.unset(text_in(change, "part"), text_in(change, "key"));
  if (what == "remove") return text.remove(text_in(change, "part"));
  if (what == "move") return text.move(text_in(change, "part"), text_in(change, "to"));
  if (what == "add") return add_to(text, addition_in(change));
  throw Error(Error::Code::invalid, fmt::format("there is no change '{}'", what));
}

}  // namespace

fs::path Faces::own_file(const std::string& name) const {
  if (const auto file = kept_face(name, folder_)) return *file;
  if (find_starter(name) != nullptr)
    throw Error(Error::Code::refused, fmt::format("'{}' is a starter", name), "", "make a face of your own from it",
                Error::Hint::own_face);
  throw Error(Error::Code::not_found, fmt::format("there is no face '{}'", name), folder_.string());
}

std::string Faces::text_of(const std::string& name) const {
  if (const auto file = kept_face(name, folder_)) return bytes_of(*file, limits::kTomlBytes);
  if (const Starter* const starter = find_starter(name)) return std::string(starter->toml);
  return bytes_of(own_file(name), limits::kTomlBytes);
}

Json Faces::list() const {
  const Settings settings = settings_in(settings_);
  Json kept = Json::array(), first = Json::array();
  for (const KeptFace& face : kept_faces(folder_)) {
    Json games = Json::array();
    for (const GameRule& rule : settings.games) {
      if (rule.face == face.name) games.push_back(rule.program);
    }
    kept.push_back({{"name", face.name}, {"games", games}, {"is_default", settings.face == face.name}});
  }
  for (const Starter& starter : starters()) first.push_back({{"name", starter.name}, {"purpose", starter.purpose}});
  return {{"usual", usual()}, {"faces", kept}, {"starters", first}};
}

bool Faces::has_own() const { return !kept_faces(folder_).empty(); }

std::string Faces::usual() const {
  const Settings settings = settings_in(settings_);
  if (!settings.face.empty() && kept_face(settings.face, folder_)) return settings.face;
  const std::vector<KeptFace> kept = kept_faces(folder_);
  return kept.empty() ? "benchmark" : kept.front().name;
}

Json Faces::first_view(const std::string& name, int width, int height) {
  Json view = {{"faces", list()}, {"face", nullptr}, {"scene", nullptr}};
  const std::string face = name.empty() ? view["faces"]["usual"].get<std::string>() : name;
  try {
    view["face"] = show(face);
    view["scene"] = last_scene(face, width, height);
  } catch (const Error&) {  // the page requests it again and shows the error
  }
  return view;
}

Json Faces::described(const std::string& name) {
  const std::string text = text_of(name);
  FaceParse parse = parse_face(text);
  Json json = {{"name", name},
               {"is_own", kept_face(name, folder_).has_value()},
               {"version", version_of(text)},
               {"keys", keys_in(text)},
               {"parts", nullptr}};
  if (parse.face) {
    readings_.use(readings_of(*parse.face), [&](const Snapshot& values, const History&) {
      json["parts"] = parts_of(*parse.face, values);
      for (Finding& finding : check_face(*parse.face, values, painter_)) parse.findings.push_back(std::move(finding));
    });
  }
  json["findings"] = to_json(parse.findings, parse.face ? &*parse.face : nullptr);
  return json;
}

Json Faces::show(const std::string& name) {
  const std::lock_guard lock(mutex_);
  return described(name);
}

Json Faces::scene(const std::string& name, int width, int height) {
  const std::lock_guard lock(mutex_);
  const std::string text = text_of(name);
  FaceParse parse = parse_face(text);
  if (!parse.face) throw Error(Error::Code::invalid, "the face has mistakes", name, "see its findings");
  if (const auto file = kept_face(name, folder_)) parse.face->folder = file->parent_path();
  std::optional<FacePreview> preview;
  readings_.use(readings_of(*parse.face), [&](const Snapshot& values, const History& history) {
    preview = preview_face(*parse.face, Image(width, height), values, history, painter_);
  });
  const ImagePart part = part_around(preview->scene.bounds, preview->image);
  Json json = scene_json(*preview);
  json["version"] = version_of(text);
  json["picture"] = {{"number", ++last_}, {"x", part.x}, {"y", part.y}};
  constexpr std::size_t kMost = 16;
  pictures_.push_back({last_, encode_png(cut(preview->image, part)), subject(name, width, height, text), json});
  if (pictures_.size() > kMost) pictures_.pop_front();
  return json;
}

Json Faces::last_scene(const std::string& name, int width, int height) {
  const std::string asked = subject(name, width, height, text_of(name));
  {
    const std::lock_guard lock(mutex_);
    const auto found =
        std::find_if(pictures_.rbegin(), pictures_.rend(), [&](const Picture& one) { return one.subject == asked; });
    if (found != pictures_.rend()) return found->scene;
  }
  return scene(name, width, height);
}

std::string Faces::picture(std::uint64_t number) {
  const std::lock_guard lock(mutex_);
  const auto found =
      std::find_if(pictures_.begin(), pictures_.end(), [number](const Picture& one) { return one.number == number; });
  if (found == pictures_.end()) throw Error(Error::Code::not_found, "this picture is too old");
  return found->png;
}

Json Faces::edit(const Json& question) {
  const std::lock_guard lock(mutex_);
  const std::string name = text_in(question, "name"), version = text_in(question, "version");
  const auto changes = question.find("changes");
  if (changes == question.end() || !changes->is_array()) throw Error(Error::Code::invalid, "there are no changes");
  (void)FaceEditor(own_file(name)).edit([&](FaceText& text) {
    if (version_of(text.toml()) != version)
      throw Error(Error::Code::moved, "the face was changed meanwhile", name, "look at it as it is now");
    for (const Json& change : *changes) make_change(text, change);
  });
  return described(name);
}

Json Faces::step_back(const std::string& name) {
  const std::lock_guard lock(mutex_);
  (void)FaceEditor(own_file(name)).undo();
  return described(name);
}

Json Faces::step_forward(const std::string& name) {
  const std::lock_guard lock(mutex_);
  (void)FaceEditor(own_file(name)).redo();
  return described(name);
}

Json Faces::make(const std::string& from, const std::string& name) {
  const std::lock_guard lock(mutex_);
  expect_face_name(name);
  FaceLibrary library(folder_);
  const Starter* const starter = find_starter(from);
  const bool is_starter = starter != nullptr && !kept_face(from, folder_);
  if (is_starter) (void)library.add(name, *starter);
  if (!is_starter) (void)library.copy(own_file(from).string(), name);
  return described(name);
}

Json Faces::choose(const std::string& name, const std::string& program) {
  const std::lock_guard lock(mutex_);
  (void)text_of(name);
  choose_face(settings_, name, program);
  return list();
}

std::string Faces::pack(const std::string& name) {
  const std::lock_guard lock(mutex_);
  const ScratchFolder folder;
  const fs::path bundle = folder.path() / "face.zip";
  pack_face(own_file(name), bundle);
  return bytes_of(bundle, limits::kHttpBody);
}

Json Faces::unpack(const std::string& name, const std::string& bundle) {
  const std::lock_guard lock(mutex_);
  expect_face_name(name);
  const ScratchFolder folder;
  const fs::path file = folder.path() / "face.zip";
  replace_file(file, bundle, FileKind::bundle);
  (void)FaceLibrary(folder_).unpack(file, name);
  return described(name);
}

}  // namespace idlemeter::desk
