// A face of ten rows and a trace, drawn again with new values.
#include <benchmark/benchmark.h>

#include <string>

#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"

namespace {

using namespace idlemeter;

std::string face_text(int rows) {
  std::string text = "name = \"Ten rows\"\n";
  for (int row = 0; row < rows - 1; ++row) {
    text += "[[row]]\nlabel = \"Device " + std::to_string(row) +
            "\"\ncells = [ { reading = \"a\" }, { reading = \"b\", digits = 1 }, { reading = \"c\" } ]\n";
  }
  return text +
         "[[row]]\nlabel = \"Frame time\"\ncells = [ { reading = \"b\" }, { reading = \"frame.time\", as = \"trace\", "
         "range = [0, 40] } ]\n";
}

Snapshot values(int i) {
  static const auto list = std::make_shared<const ReadingList>(
      std::vector<ReadingInfo>{{"a", "", "", "", DeviceKind::processor, Unit::percent},
                               {"b", "", "", "", DeviceKind::graphics, Unit::watt},
                               {"c", "", "", "", DeviceKind::graphics, Unit::megahertz},
                               {"frame.time", "", "", "", DeviceKind::frames, Unit::millisecond}});
  const Moment now{Nanoseconds{i}};
  return Snapshot(
      now, {std::make_shared<Batch>(Batch{list, {i % 100 * 1.0, 80 + i % 173 * 0.7, 2000.0 + i % 397, 7.0}, now})});
}

/// Laid out and drawn onto a cleared overlay, as the meter does for each change; ten seconds at 144 FPS in each trace.
void redraw(benchmark::State& state, const std::string& text) {
  const Face face = *parse_face(text).face;
  Painter painter;
  History history;
  for (int i = 0; i < 1'440; ++i) history.add("frame.time", Moment{i * kSecond / 144}, 7 + i % 13 * 0.3);
  const Rect bounds = lay_out(face, 1920, 1080, values(0), history, painter).bounds;
  Image image(static_cast<int>(bounds.width), static_cast<int>(bounds.height));
  int i = 0;
  for (auto _ : state) {
    std::fill(image.pixels.begin(), image.pixels.end(), 0);
    painter.draw(lay_out(face, 1920, 1080, values(++i), history, painter), image, static_cast<int>(bounds.x),
                 static_cast<int>(bounds.y));
  }
}

void redraw_ten_rows(benchmark::State& state) { redraw(state, face_text(10)); }
BENCHMARK(redraw_ten_rows)->Unit(benchmark::kMillisecond);

/// Sixty readings and four traces.
void redraw_full_face(benchmark::State& state) {
  std::string text = "flow = \"columns\"\n" + face_text(20);
  for (int i = 0; i < 3; ++i)
    text += "[[row]]\nlabel = \"More\"\ncells = [ { reading = \"frame.time\", as = \"trace\", range = [0, 40] } ]\n";
  redraw(state, text);
}
BENCHMARK(redraw_full_face)->Unit(benchmark::kMillisecond);

/// A different text each time, with its outline, at sizes up to the largest allowed.
void outlined_text(benchmark::State& state) {
  Painter painter;
  Image image(1920, 1080);
  const TextStyle style{"sans", static_cast<double>(state.range(0)), false};
  int i = 0;
  for (auto _ : state) {
    const std::string number = std::to_string(1'000 + ++i % 9'000);
    painter.draw({1920, 1080, {TextShape{number, style, {255, 255, 255, 255}, 0, 900, Edge::outline}}, {}}, image);
  }
}
BENCHMARK(outlined_text)->Arg(18)->Arg(144)->Arg(1'024)->Unit(benchmark::kMillisecond);

}  // namespace
