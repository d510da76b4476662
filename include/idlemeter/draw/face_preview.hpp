// Idle Meter: a face as a picture, with what can't be shown.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

struct FacePreview {
  Image image;
  Scene scene;                        ///< with the areas of the parts
  std::vector<std::string> unknown;   ///< readings that the face asks for and that aren't there, by id
  std::vector<std::string> problems;  ///< a sentence for each unreadable picture; the preview omits it
  bool fits = true;                   ///< false if the face needs more than the picture
};

/// The face's readings that a snapshot doesn't have, by id.
[[nodiscard]] std::vector<std::string> unknown_readings(const Face& face, const Snapshot& values);

/// Draws a face over a picture, with these values and, for traces, their past.
[[nodiscard]] FacePreview preview_face(const Face& face, Image ground, const Snapshot& values, const History& history,
                                       Painter& painter);

}  // namespace idlemeter
