// Any bytes as a face, a settings file or a bundle. A face is read or refused; what is read can be laid out, shown in a
// terminal, changed by command and bundled, and a change that is made leaves a face that can be read.
#include "doors.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/face/check_face.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_bundle.hpp"
#include "idlemeter/face/face_text.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/face/terminal_view.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/frame_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/settings/chosen_face.hpp"
#include "idlemeter/settings/settings.hpp"

namespace {

using namespace idlemeter;
using fuzz::require;

class EvenMeasure : public TextMeasure {
 public:
  TextExtent measure(const std::string& text, const TextStyle& style) override {
    return {static_cast<double>(text.size()) * style.size, style.size, 1};
  }
};

void try_change(const std::string& toml, void (*make)(FaceText&)) {
  FaceText text(toml);
  try {
    make(text);
  } catch (const Error&) {
    require(text.toml() == toml);
  }
  require(parse_face(text.toml()).face.has_value());
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

void idlemeter::fuzz::face(std::string_view bytes) {
  const std::string toml(bytes);
  const FaceParse reading = parse_face(toml);
  require(reading.face.has_value() == reading.findings.empty());
  for (const Finding& finding : reading.findings) require(finding.line > 0 && !finding.message.empty());
  if (!reading.face) return;
  FrameReadings frames(readings_of(*reading.face));
  frames.add({{}, 10 * kMillisecond});
  const Snapshot values({}, {frames.batch({})});
  History history;
  history.add("frame.time", {}, 10);
  EvenMeasure measure;
  (void)lay_out(*reading.face, 320, 180, values, history, measure);
  (void)check_face(*reading.face, values, measure);
  (void)to_terminal(*reading.face, values, history, {});
  (void)pictures_of(*reading.face);
  change(toml);
}

void idlemeter::fuzz::settings(std::string_view bytes) {
  const SettingsParse reading = parse_settings(bytes);
  require(reading.settings.has_value() == reading.findings.empty());
  if (!reading.settings) return;
  ComputedReadings computed(reading.settings->computed);  // every formula that was read can be used
  FrameReadings frames;
  frames.add({{}, 10 * kMillisecond});
  (void)computed.add_to(Snapshot({}, {frames.batch({})}));
  const std::string chosen = with_face_chosen(std::string(bytes), "strip", "tidepool*");
  const auto after = parse_settings(chosen).settings;
  require(after.has_value() && face_for(*after, "/games/tidepool_rally").has_value());
}

/// A bundle is unpacked whole or not at all, and nothing is written anywhere else.
void idlemeter::fuzz::bundle(std::string_view bytes) {
  const fuzz::Scratch scratch;
  scratch.file("a.zip", bytes);
  try {
    const auto kept = unpack_face(scratch.path() / "a.zip", "taken", scratch.path() / "in/faces");
    for (const std::string& picture : pictures_of(load_face(kept)))
      require(std::filesystem::is_regular_file(kept.parent_path() / picture));
    pack_face(kept, scratch.path() / "b.zip");
  } catch (const Error&) {
    require(!std::filesystem::exists(scratch.path() / "in/faces/taken"));
  }
}
