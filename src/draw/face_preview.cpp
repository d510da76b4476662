#include "idlemeter/draw/face_preview.hpp"

#include <utility>
#include <variant>

#include "idlemeter/base/error.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/lay_out.hpp"

namespace idlemeter {
namespace {

std::vector<std::string> picture_problems(const Scene& scene) {
  std::vector<std::string> problems;
  for (const Shape& shape : scene.shapes) {
    const auto* picture = std::get_if<PictureShape>(&shape);
    try {
      if (picture != nullptr) (void)load_png(picture->file);
    } catch (const Error& error) {
      problems.emplace_back(error.what());
    }
  }
  return problems;
}

bool is_inside(const Rect& rect, const Image& image) {
  return rect.x >= 0 && rect.y >= 0 && rect.x + rect.width <= image.width && rect.y + rect.height <= image.height;
}

}  // namespace

std::vector<std::string> unknown_readings(const Face& face, const Snapshot& values) {
  Face shown = face;
  std::erase_if(shown.rows, [&](const Row& row) { return is_left_out(row, face, values); });
  std::vector<std::string> unknown;
  for (const std::string& id : readings_of(shown)) {
    if (values.find(id).info == nullptr) unknown.push_back(id);
  }
  return unknown;
}

FacePreview preview_face(const Face& face, Image ground, const Snapshot& values, const History& history,
                         Painter& painter) {
  FacePreview preview;
  preview.image = std::move(ground);
  preview.unknown = unknown_readings(face, values);
  preview.scene = lay_out(face, preview.image.width, preview.image.height, values, history, painter);
  preview.problems = picture_problems(preview.scene);
  preview.fits = is_inside(preview.scene.bounds, preview.image);
  painter.draw(preview.scene, preview.image);
  return preview;
}

}  // namespace idlemeter
