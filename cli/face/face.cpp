// idlemeter face: faces, the definitions of an overlay.
#include "face/face.hpp"

#include <fmt/format.h>

#include <memory>

#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/draw/face_library.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/face/check_face.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/file_keys.hpp"
#include "idlemeter/face/starters.hpp"
#include "output.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct CheckOptions {
  std::string face;
  ValueOptions values;
};

/// Errors end it with status 1; warnings are printed and leave it at 0.
int check(const CheckOptions& options) {
  const Face face = FaceLibrary().load(options.face);
  Values values(options.values, readings_of(face));
  Painter painter;
  const auto findings = check_face(face, values.next(0), painter);
  for (const Finding& finding : findings) print("{}\n", to_string(finding, options.face));
  print(
      "{}: {}\n", options.face,
      findings.empty() ? "all is well" : fmt::format("{} warning{}", findings.size(), findings.size() == 1 ? "" : "s"));
  return 0;
}

int list_starters() {
  Table table({Table::Align::left, Table::Align::left});
  for (const Starter& starter : starters()) table.add({std::string(starter.name), std::string(starter.purpose)});
  print("{}", table.text());
  return 0;
}

int list_keys(const std::string& only) {
  print("{}", key_list_text(face_keys(), only));
  return 0;
}

}  // namespace

void add_face(Command app) {
  Command face = app.add("face", "Design faces, the definitions of an overlay: see, change, keep, share");
  add_face_draw(face);
  add_face_edits(face);
  add_face_keeping(face);

  face.add("starters", "List the faces to start from", list_starters);
  const auto checked = std::make_shared<CheckOptions>();
  Command check_one = face.add("check", "Report what is wrong with a face, and what could be better",
                               [checked] { return check(*checked); });
  check_one.option("FACE", checked->face, "A kept face, a face file, or a starter's name").required();
  add_value_options(check_one, checked->values);

  const auto table = std::make_shared<std::string>();
  face.add("keys", "List the keys that face files may have", [table] { return list_keys(*table); })
      .option("TABLE", *table, "Only those of place, text, back, colors, row, cell or pin")
      .check(one_of({"place", "text", "back", "colors", "row", "cell", "pin"}));
  face.add("schema", "Print the JSON Schema of face files, for editors", [] {
    write_raw(face_schema());
    return 0;
  });
}

}  // namespace idlemeter::cli
