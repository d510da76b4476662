// A program that draws a face of its own readings: a weather buoy instead of a graphics card.
#include <cstdio>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"

namespace {

using namespace idlemeter;

/// A source finds its readings, and fills a value for each when asked.
class Buoy : public Source {
 public:
  std::string name() const override { return "buoy"; }

  std::vector<ReadingInfo> discover() override {
    return {{"buoy.water.temp", "Water temperature", "Water", "Buoy 3", DeviceKind::own, Unit::celsius, "made up", 1},
            {"buoy.power", "Solar power", "Solar", "Buoy 3", DeviceKind::own, Unit::watt, "made up"},
            {"buoy.depth", "Depth", "Depth", "Buoy 3", DeviceKind::own, Unit::none, "made up"}};
  }

  bool sample(Moment now, std::span<Value> values) override {
    const double seconds = in_seconds(now.time_since_epoch());
    values[0] = 11.5 + 0.1 * seconds;
    values[1] = 40 - 0.5 * seconds;
    values[2] = Missing{"the sounder is out of the water"};
    return true;  // the readings are the same as before
  }
};

constexpr const char* kFace = R"(
name = "Buoy"
text = { size = 30 }

[[row]]
label = "Water"
cells = [ { reading = "buoy.water.temp" }, { reading = "buoy.water.temp", as = "trace", range = [10, 14], seconds = 20 } ]

[[row]]
label = "Solar"
cells = [ { reading = "buoy.power", caution = 25, danger = 60 }, { reading = "buoy.depth", title = "depth" } ]
)";

}  // namespace

int main(int argc, char** argv) {
  const char* file = argc > 1 ? argv[1] : "buoy.png";
  const FaceParse face = parse_face(kFace);
  for (const Finding& finding : face.findings) std::fprintf(stderr, "%s\n", to_string(finding, "face").c_str());
  if (!face.face) return 1;

  Sources sources;
  sources.push_back(std::make_unique<Buoy>());
  Polling polling(std::move(sources));
  History history;
  Snapshot values;
  for (int second = 0; second <= 20; ++second) {
    values = polling.sample(Moment{second * kSecond});
    history.add(values);
  }

  try {
    Painter painter;
    Image image(1280, 720);
    const Scene scene = lay_out(*face.face, image.width, image.height, values, history, painter);
    painter.draw(scene, image);
    write_png(image, file);
    std::printf("%s: %zu shapes in %.0f x %.0f pixels\n", file, scene.shapes.size(), scene.bounds.width,
                scene.bounds.height);
  } catch (const Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
  return 0;
}
