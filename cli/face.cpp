// idlemeter face: faces as pictures.
#include <fmt/format.h>

#include <memory>

#include "command.hpp"
#include "idlemeter/draw.hpp"
#include "idlemeter/error.hpp"
#include "idlemeter/starters.hpp"
#include "picture.hpp"
#include "readings/nearest.hpp"
#include "table.hpp"
#include "temporary_folder.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct DrawOptions {
  std::string face, picture, over, ground, size = "1920x1080";
  ValueOptions values;
};

constexpr int kLargestSide = 16384;

/// "1920x1080"
std::string check_size(const std::string& text) {
  int width = 0, height = 0, used = 0;
  const bool two = std::sscanf(text.c_str(), "%dx%d%n", &width, &height, &used) == 2 &&
                   static_cast<std::size_t>(used) == text.size();
  const bool fits = two && width >= 16 && height >= 16 && width <= kLargestSide && height <= kLargestSide;
  return fits ? ""
              : fmt::format("'{}' is no picture size; write it like 1920x1080, each side from 16 to {}", text,
                            kLargestSide);
}

constexpr std::pair<const char*, rig::Ground> kGrounds[] = {
    {"day", rig::Ground::day}, {"night", rig::Ground::night}, {"reef", rig::Ground::reef}};

Image ground(const DrawOptions& options) {
  if (!options.over.empty()) return read_png(options.over);
  int width = 0, height = 0;
  std::sscanf(options.size.c_str(), "%dx%d", &width, &height);
  for (const auto& [name, ground] : kGrounds) {
    if (options.ground == name) return rig::game_picture(width, height, ground);
  }
  return {width, height};
}

/// A face file, or a starter by its name where there is no such file.
Face face_of(const std::string& name, const TemporaryFolder& folder) {
  const Starter* starter = find_starter(name);
  if (starter == nullptr || std::filesystem::exists(name)) return load_face(name);
  const std::filesystem::path file = folder.path() / (name + ".toml");
  write_starter(*starter, file);
  return load_face(file);
}

/// Readings that the face asks for and nobody has, each with what is nearest.
void warn_of_unknown(const Face& face, const Snapshot& values) {
  for (const std::string& id : readings_of(face)) {
    if (values.find(id).info != nullptr) continue;
    const auto near = nearest_ids(id, values);
    fmt::print(stderr, "idlemeter: warning: no reading '{}' here{}\n", id,
               near.empty() ? "" : "; nearest: " + near.front());
  }
}

/// Pictures that can't be read are left out of what is drawn.
void warn_of_pictures(const Scene& scene) {
  for (const Shape& shape : scene.shapes) {
    const auto* picture = std::get_if<PictureShape>(&shape);
    try {
      if (picture != nullptr) (void)read_png(picture->file);
    } catch (const Error& error) {
      fmt::print(stderr, "idlemeter: warning: {}\n", error.what());
    }
  }
}

void draw_onto(Image& image, const Face& face, const Snapshot& values, const History& history) {
  Painter painter;
  warn_of_unknown(face, values);
  const Scene scene = lay_out(face, image.width, image.height, values, history, painter);
  warn_of_pictures(scene);
  const Rect& b = scene.bounds;
  if (b.x < 0 || b.y < 0 || b.x + b.width > image.width || b.y + b.height > image.height) {
    fmt::print(stderr,
               "idlemeter: warning: the face needs {:.0f}x{:.0f} pixels at ({:.0f}, {:.0f}), more than the picture of "
               "{}x{} has there\n",
               b.width, b.height, b.x, b.y, image.width, image.height);
  }
  painter.draw(scene, image);
}

int draw(const DrawOptions& options) {
  const TemporaryFolder folder;
  const Face face = face_of(options.face, folder);
  Image image = ground(options);
  Values values(options.values);
  const Snapshot now = values.next(0);
  draw_onto(image, face, now, values.history());
  write_png(image, options.picture);
  fmt::print("{}: '{}' at {}x{}\n", options.picture, face.name.empty() ? options.face : face.name, image.width,
             image.height);
  return 0;
}

struct CheckOptions {
  std::string face;
  ValueOptions values;
};

/// Errors end it with status 1; warnings are told and leave it at 0.
int check(const CheckOptions& options) {
  const TemporaryFolder folder;
  const Face face = face_of(options.face, folder);
  Values values(options.values);
  Painter painter;
  const auto findings = check_face(face, values.next(0), painter);
  for (const Finding& finding : findings) fmt::print("{}\n", to_string(finding, options.face));
  fmt::print(
      "{}: {}\n", options.face,
      findings.empty() ? "all is well" : fmt::format("{} warning{}", findings.size(), findings.size() == 1 ? "" : "s"));
  return 0;
}

int list_starters() {
  Table table({Table::Align::left, Table::Align::left});
  for (const Starter& starter : starters()) table.add({std::string(starter.name), std::string(starter.purpose)});
  fmt::print("{}", table.text());
  return 0;
}

struct NewOptions {
  std::string file, starter = "benchmark";
};

int make(const NewOptions& options) {
  const Starter* starter = find_starter(options.starter);
  write_starter(*starter, options.file);
  fmt::print(
      "{}: a face to change as you like, begun from '{}'\nSee it with: idlemeter face draw {} --rig --ground day -o "
      "face.png\n",
      options.file, starter->name, options.file);
  return 0;
}

std::string check_starter(const std::string& name) {
  if (find_starter(name) != nullptr) return "";
  std::vector<std::string_view> names;
  for (const Starter& starter : starters()) names.push_back(starter.name);
  const std::string hint = did_you_mean(name, names);
  return fmt::format("'{}' is no starter{}", name, hint.empty() ? "; 'idlemeter face starters' lists them" : hint);
}

}  // namespace

void add_face(CLI::App& app, Action& action) {
  CLI::App* face = app.add_subcommand("face", "Look at faces, the definitions of an overlay");
  face->require_subcommand(1);
  const auto options = std::make_shared<DrawOptions>();
  CLI::App* command = face->add_subcommand("draw", "Draw a face as a PNG");
  command->add_option("FACE", options->face, "A face file, or a starter's name")->required();
  command->add_option("-o,--output", options->picture, "The PNG to write")->required();
  CLI::Option* over =
      command->add_option("--over", options->over, "A PNG to draw it over, instead of transparent ground");
  command->add_option("--size", options->size, "Of the picture")
      ->capture_default_str()
      ->check(check_size)
      ->excludes(over);
  command->add_option("--ground", options->ground, "A sample picture to draw it over: day, night (dark) or reef (busy)")
      ->check(CLI::IsMember({"day", "night", "reef"}))
      ->excludes(over);
  add_value_options(*command, options->values);
  command->callback([options, &action] { action = [options] { return draw(*options); }; });

  face->add_subcommand("starters", "List the faces to begin with")->callback([&action] { action = list_starters; });
  const auto begin = std::make_shared<NewOptions>();
  CLI::App* make_new = face->add_subcommand("new", "Begin a face of your own from a starter");
  make_new->add_option("FILE", begin->file, "The face file to write; one that is there is never overwritten")
      ->required();
  make_new->add_option("--from", begin->starter, "The starter")->capture_default_str()->check(check_starter);
  make_new->callback([begin, &action] { action = [begin] { return make(*begin); }; });

  const auto checked = std::make_shared<CheckOptions>();
  CLI::App* check_one = face->add_subcommand("check", "Tell what is wrong with a face, and what could be better");
  check_one->add_option("FACE", checked->face, "A face file, or a starter's name")->required();
  add_value_options(*check_one, checked->values);
  check_one->callback([checked, &action] { action = [checked] { return check(*checked); }; });
}

}  // namespace idlemeter::cli
