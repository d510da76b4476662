// idlemeter face: faces as pictures.
#include <fmt/format.h>

#include <memory>

#include "command.hpp"
#include "idlemeter/draw.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct DrawOptions {
  std::string face, picture, over, size = "1920x1080";
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

Image ground(const DrawOptions& options) {
  if (!options.over.empty()) return read_png(options.over);
  int width = 0, height = 0;
  std::sscanf(options.size.c_str(), "%dx%d", &width, &height);
  return {width, height};
}

/// Readings that the face asks for and nobody has, each with what is nearest.
void warn_of_unknown(const Face& face, const Snapshot& values) {
  for (const Row& row : face.rows) {
    for (const Cell& cell : row.cells) {
      if (values.find(cell.reading).info != nullptr) continue;
      const auto near = nearest_ids(cell.reading, values);
      fmt::print(stderr, "idlemeter: warning: no reading '{}' here{}\n", cell.reading,
                 near.empty() ? "" : "; nearest: " + near.front());
    }
  }
}

void draw_onto(Image& image, const Face& face, const Snapshot& values, const History& history) {
  Painter painter;
  warn_of_unknown(face, values);
  const Scene scene = lay_out(face, image.width, image.height, values, history, painter);
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
  const Face face = load_face(options.face);
  Image image = ground(options);
  Values values(options.values);
  const Snapshot now = values.next(0);
  draw_onto(image, face, now, values.history());
  write_png(image, options.picture);
  fmt::print("{}: '{}' at {}x{}\n", options.picture, face.name.empty() ? options.face : face.name, image.width,
             image.height);
  return 0;
}

}  // namespace

void add_face(CLI::App& app, Action& action) {
  CLI::App* face = app.add_subcommand("face", "Look at faces, the definitions of an overlay");
  face->require_subcommand(1);
  const auto options = std::make_shared<DrawOptions>();
  CLI::App* command = face->add_subcommand("draw", "Draw a face as a PNG");
  command->add_option("FACE", options->face, "A face file")->required();
  command->add_option("-o,--output", options->picture, "The PNG to write")->required();
  CLI::Option* over =
      command->add_option("--over", options->over, "A PNG to draw it over, instead of transparent ground");
  command->add_option("--size", options->size, "Of the picture")
      ->capture_default_str()
      ->check(check_size)
      ->excludes(over);
  add_value_options(*command, options->values);
  command->callback([options, &action] { action = [options] { return draw(*options); }; });
}

}  // namespace idlemeter::cli
