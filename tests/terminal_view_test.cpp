// Faces in a terminal.
#include "idlemeter/face/terminal_view.hpp"

#include "idlemeter/base/time.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/readings/history.hpp"
#include "laid_out.hpp"

namespace idlemeter {
namespace {

using namespace testing;

TEST(TerminalView, ShowsRowsInColumnsAndTracesInBraille) {
  History history;
  for (int i = 0; i <= 10; ++i) history.add("gpu.load", Moment{i * kSecond}, i % 2 == 0 ? 0 : 100);
  const std::string toml =
      std::string(kFace) +
      "[[row]]\ncells = [ { reading = \"gpu.load\", as = \"trace\", width = 90, height = 22, range = [0, 100] } ]\n"
      "[[row]]\nlabel = \"Ring\"\ncells = [ { reading = \"gpu.load\", as = \"ring\" } ]\n"
      "[[pin]]\nat = [40, 980]\ntext = \"{gpu.temp:.1f} now\"\n";
  const Face face = *parse_face(toml).face;
  const std::string plain = to_terminal(face, values(50), history, {100, TerminalStyle::Colors::none});
  EXPECT_EQ(plain.find("GPU         50 %   60 °C\nMemory  12.8 GiB\n"), 0u) << plain;
  EXPECT_NE(plain.find("        ⣰⠹⣰⠹⡴⠳⡼⢳⡼⢳\n"), std::string::npos) << plain;
  EXPECT_NE(plain.find("Ring    █████     ▕ 50 %\n"), std::string::npos) << plain;
  EXPECT_NE(plain.find("   40,  980  60.0 now\n"), std::string::npos) << plain;
  EXPECT_EQ(plain.find('\x1b'), std::string::npos);
  const std::string full = to_terminal(face, values(50), history, {100, TerminalStyle::Colors::full});
  EXPECT_NE(full.find("\x1b[1;38;2;255;166;66mGPU\x1b[0m"), std::string::npos) << full;
  const std::string line = to_terminal(*parse_face("flow = \"line\"\n" + std::string(kFace)).face, values(50), history,
                                       {30, TerminalStyle::Colors::none});
  EXPECT_EQ(line, "GPU   50 %   60 °C\nMemory  12.8 GiB\n");
}

TEST(TerminalView, ShowsWhereATraceIsClipped) {
  History history;
  for (int i = 0; i <= 10; ++i) history.add("gpu.load", Moment{i * kSecond}, i < 6 ? 10 : 90);
  const Face face =
      *parse_face(
           "[[row]]\ncells = [ { reading = \"gpu.load\", as = \"trace\", width = 90, height = 44, range = [20, 80] } ]")
           .face;
  EXPECT_EQ(to_terminal(face, values(50), history, {100, TerminalStyle::Colors::none}), "⠀⠀⠀⠀⠀▲▲▲▲▲\n▼▼▼▼▼⡞⠀⠀⠀⠀\n");
  const std::string full = to_terminal(face, values(50), history, {100, TerminalStyle::Colors::full});
  EXPECT_NE(full.find("\x1b[38;2;255;209;74m⢰⠉⠉⠉⠉\x1b[0m"), std::string::npos) << full;
}

}  // namespace
}  // namespace idlemeter
