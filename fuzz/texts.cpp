// Formulas, texts with places for readings, lines of the feed, pictures.
#include <cmath>
#include <iterator>
#include <string>
#include <vector>

#include "doors.hpp"
#include "face/format/place_holders.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/terminal_view.hpp"
#include "idlemeter/readings/frame_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/settings/settings_text.hpp"
#include "readings/formula.hpp"
#include "sources/own/open_metrics.hpp"

namespace idlemeter::fuzz {
namespace {

using namespace readings;
using namespace face;

bool is_visible(std::string_view text) {
  return std::none_of(text.begin(), text.end(), [](unsigned char c) { return c < 0x20 || c == 0x7f; });
}

}  // namespace

void formula(std::string_view bytes) {
  try {
    const Formula formula{std::string(bytes)};
    for (const double value : {0.0, 1.0, -1e300, 1e-300}) {
      const auto result = formula.value(std::vector<double>(formula.ids().size(), value));
      require(!result || std::isfinite(*result));
    }
  } catch (const Error&) {
  }
}

void text(std::string_view bytes) {
  Bytes input(bytes);
  const std::uint16_t wide = input.take<std::uint16_t>();
  const double size = wide < 0xff00 ? wide % 256 / 8.0 : (wide - 0xff00) * 0.8;  // mostly small: large ones take long
  const auto edge = static_cast<Edge>(input.below(3));
  const std::string rest = std::string(bytes.substr(std::min<std::size_t>(3, bytes.size())));
  require(is_visible(printable(rest)) && printable(printable(rest)) == printable(rest));
  std::string problem;
  const auto pieces = text_pieces(rest, problem);
  require(pieces.has_value() == problem.empty());
  if (!pieces) return;
  FrameReadings frames;
  frames.add({{}, 10 * kMillisecond});
  const Snapshot values({}, {frames.batch({})});
  const std::string shown = filled(*pieces, values, [](const std::string& id) { return id; });
  Face face;
  face.rows.push_back({.label = rest, .cells = {{.reading = "frame.rate", .title = shown}}});
  (void)to_terminal(face, values, History{}, {});
  static Painter painter;
  Image image(64, 32);
  painter.draw({64, 32, {TextShape{shown, {"sans", size, false}, {255, 255, 255, 255}, 1, 20, edge}}, {}}, image);
}

void feed(std::string_view bytes) {
  while (!bytes.empty()) {
    const std::size_t end = std::min(bytes.find('\n'), bytes.size());
    const auto line = sources::metric_line(bytes.substr(0, end));
    if (line && line->kind == sources::MetricLine::Kind::sample)
      require(!line->name.empty() && std::isfinite(line->value));
    bytes.remove_prefix(std::min(end + 1, bytes.size()));
  }
}

void picture(std::string_view bytes) {
  constexpr std::size_t kMost = 1 << 16;
  try {
    const Image image = decode_png(bytes, "input", kMost);
    require(image.pixels.size() <= kMost);
    require(decode_png(encode_png(image), "again").pixels.size() == image.pixels.size());
  } catch (const Error&) {
  }
}

/// Whatever is set, nothing else changes: above all no command comes along.
void setting_value(std::string_view bytes) {
  constexpr const char* kKeys[] = {"paces",      "facts", "figures", "recording.settings", "recording.tags",
                                   "cues.start", "face",  "store",   "recording.overlay",  "keys.show"};
  constexpr const char* kFile =
      "# mine\npace = \"1 s\"  # slow\n[recording]\nnote = \"kept\"\n[[command]]\nid = "
      "\"own.one\"\nrun = [\"true\"]\n";
  if (bytes.empty()) return;
  SettingsText text(kFile);
  try {
    text.set(kKeys[static_cast<unsigned char>(bytes.front()) % std::size(kKeys)], bytes.substr(1));
  } catch (const Error&) {
    require(text.toml() == kFile);
    return;
  }
  const auto read = parse_settings(text.toml()).settings;
  require(read && read->commands.size() == 1 && read->commands[0].command == std::vector<std::string>{"true"});
  require(read->pace == kSecond && text.value("recording.note") == "kept");
}

}  // namespace idlemeter::fuzz
