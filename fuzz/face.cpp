// Any bytes as a face file: it is read or refused; what is read can be laid out, shown in a terminal, changed by
// command and bundled, and a change that is made leaves a face that can be read.
#include <cstdint>
#include <cstdlib>

#include "idlemeter/error.hpp"
#include "idlemeter/face_files.hpp"
#include "idlemeter/face_text.hpp"
#include "idlemeter/frame_readings.hpp"
#include "idlemeter/terminal_view.hpp"

namespace {

using namespace idlemeter;

class EvenMeasure : public TextMeasure {
 public:
  TextExtent measure(const std::string& text, const TextStyle& style) override {
    return {static_cast<double>(text.size()) * style.size, style.size, 1};
  }
};

void require(bool holds) {
  if (!holds) std::abort();
}

void try_change(const std::string& toml, void (*make)(FaceText&)) {
  FaceText text(toml);
  try {
    make(text);
  } catch (const Error&) {
    require(text.toml() == toml);
  }
  require(read_face(text.toml()).face.has_value());
}

void change(const std::string& toml) {
  try_change(toml, [](FaceText& t) { t.set("face", "text.size", "20"); });
  try_change(toml, [](FaceText& t) { t.set("face", "name", "\"\\\n\x01"); });
  try_change(toml, [](FaceText& t) { t.set("row:1/1", "caution", "5"); });
  try_change(toml, [](FaceText& t) { t.set("row:1", "back.radius", "5"); });
  try_change(toml, [](FaceText& t) { t.set("pin:1", "color", "#123456"); });
  try_change(toml, [](FaceText& t) { t.unset("face", "text.size"); });
  try_change(toml, [](FaceText& t) { t.unset("row:1", "label"); });
  try_change(toml, [](FaceText& t) { t.unset("row:1/1", "digits"); });
  try_change(toml, [](FaceText& t) { t.add_row("a", {"b"}, 1); });
  try_change(toml, [](FaceText& t) { t.add_row("a", {"b", "c"}); });
  try_change(toml, [](FaceText& t) { t.add_cell("row:1", "b", 2); });
  try_change(toml, [](FaceText& t) { t.add_pin(1, 2, "text", "a"); });
  try_change(toml, [](FaceText& t) { t.remove("row:1"); });
  try_change(toml, [](FaceText& t) { t.remove("row:2/1"); });
  try_change(toml, [](FaceText& t) { t.move("row:1", "2"); });
  try_change(toml, [](FaceText& t) { t.move("row:1/1", "row:2"); });
  try_change(toml, [](FaceText& t) { t.move("row:2/2", "1"); });
  try_change(toml, [](FaceText& t) { t.move("pin:2", "1"); });
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string toml(reinterpret_cast<const char*>(data), size);
  const FaceReading reading = read_face(toml);
  require(reading.face.has_value() == reading.findings.empty());
  for (const Finding& finding : reading.findings) require(finding.line > 0 && !finding.message.empty());
  if (!reading.face) return 0;
  FrameReadings frames(readings_of(*reading.face));
  frames.add({0, 10 * kMillisecond, -1});
  const Snapshot values(0, {frames.batch(0)});
  History history;
  history.add("frame.time", 0, 10);
  EvenMeasure measure;
  (void)lay_out(*reading.face, 320, 180, values, history, measure);
  (void)check_face(*reading.face, values, measure);
  (void)to_terminal(*reading.face, values, history, {});
  (void)pictures_of(*reading.face);
  change(toml);
  return 0;
}
