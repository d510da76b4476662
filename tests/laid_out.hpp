// Faces laid out with letters as wide as half their size.
#pragma once

#include <gtest/gtest.h>

#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter::testing {

class Blocks : public TextMeasure {
 public:
  TextExtent measure(const std::string& text, const TextStyle& style) override {
    return {static_cast<double>(text.size()) * style.size / 2, style.size * 0.8, style.size * 0.2};
  }
};

inline Snapshot values(double load, Value temp = 60.0) {
  auto list = std::make_shared<const ReadingList>(
      std::vector<ReadingInfo>{{"gpu.load", "", "", "Marl G9", DeviceKind::graphics, Unit::percent},
                               {"gpu.temp", "", "", "Marl G9", DeviceKind::graphics, Unit::celsius},
                               {"ram.used", "", "", "Memory", DeviceKind::memory, Unit::mebibyte}});
  return Snapshot({}, {std::make_shared<Batch>(Batch{list, {load, std::move(temp), 13'107.2}, {}})});
}

inline Scene scene_of(const std::string& toml, const Snapshot& snapshot, const History& history = History{},
                      int width = 1920, int height = 1080) {
  const FaceParse reading = parse_face(toml);
  EXPECT_TRUE(reading.face) << (reading.findings.empty() ? "" : reading.findings[0].message);
  Blocks blocks;
  return lay_out(reading.face.value_or(Face{}), width, height, snapshot, history, blocks);
}

inline std::vector<TextShape> texts(const Scene& scene) {
  std::vector<TextShape> found;
  for (const Shape& shape : scene.shapes) {
    if (const auto* text = std::get_if<TextShape>(&shape)) found.push_back(*text);
  }
  return found;
}

inline constexpr const char* kFace =
    "text = { size = 20 }\n[[row]]\nlabel = \"GPU\"\ncells = [ { reading = \"gpu.load\" }, { reading = \"gpu.temp\", "
    "caution = 70, danger = 90 } ]\n"
    "[[row]]\nlabel = \"Memory\"\ncells = [ { reading = \"ram.used\", unit = \"GiB\", digits = 1 } ]\n";

}  // namespace idlemeter::testing
