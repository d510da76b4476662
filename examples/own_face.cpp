// A face built in code, kept as a file, changed there, and drawn with the values of this machine.
#include <cstdio>
#include <fstream>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/check_face.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_text.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/frames/span.hpp"
#include "idlemeter/readings/frame_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/sources/machine.hpp"

using namespace idlemeter;

namespace {

Face corner() {
  Face face;
  face.name = "Corner";
  face.place.anchor = Anchor::bottom_right;
  face.text.size = 22;
  face.palette = Palette::beacon;

  Row rate;
  rate.label = "Rate";
  rate.cells.push_back({.reading = "frame.rate"});
  rate.cells.push_back(
      {.reading = "frame.low@1%", .title = "1%", .digits = 0, .span = Span{Span::Kind::last, 10 * kSecond}});
  Row trace;
  trace.cells.push_back({.reading = "frame.time", .as = TraceLook{.width = 260, .range = std::pair(0.0, 40.0)}});
  Row memory;
  memory.label = "Memory";
  memory.rule = true;
  memory.cells.push_back({.reading = "ram.used", .unit = Unit::gibibyte, .digits = 1});
  face.rows = {rate, trace, memory};
  return face;
}

/// An engine would add each frame as it presents it.
void play(FrameReadings& frames, History& history) {
  for (int i = 1; i <= 600; ++i) {
    const Nanoseconds interval = (i % 60 == 0 ? 30 : 8) * kMillisecond;
    const Moment at{i * 10 * kMillisecond};
    frames.add({at, interval});
    history.add("frame.time", at, in_milliseconds(interval));
  }
}

void draw(const Face& face, const std::string& file) {
  FrameReadings frames(readings_of(face));  // the statistics that the face asks for
  History history;
  play(frames, history);
  Polling machine(machine_sources());
  const Moment now{6 * kSecond};
  const Snapshot values = machine.sample(now).with(frames.batch(now));
  Painter painter;
  for (const Finding& finding : check_face(face, values, painter))
    std::fprintf(stderr, "%s\n", to_string(finding, face.name).c_str());
  Image image(1280, 720);
  painter.draw(lay_out(face, image.width, image.height, values, history, painter), image);
  write_png(image, file);
}

}  // namespace

int main(int argc, char** argv) {
  const std::string name = argc > 1 ? argv[1] : "corner";
  try {
    const Face face = corner();
    draw(face, name + ".png");

    FaceText text(to_toml(face));  // the same face as a file, and as its owner changes it later
    text.set("Memory", "label", "RAM");
    text.add_cell("RAM", "ram.total");
    text.set("RAM/ram.total", "unit", "GiB");
    text.move("RAM", "1");
    std::ofstream(name + ".toml") << text.toml();
    draw(load_face(name + ".toml"), name + "-changed.png");
    std::printf("%s.toml: %zu rows, the first is '%s'\n", name.c_str(), face.rows.size(),
                load_face(name + ".toml").rows.front().label.c_str());
  } catch (const Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
