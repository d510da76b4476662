// idlemeter face new, list, copy, use, which, pack, unpack: where faces are kept and how they are shared.
#include <fmt/format.h>

#include <memory>

#include "face/face.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/draw/face_library.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_file.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/kept_faces.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/settings/chosen_face.hpp"
#include "idlemeter/settings/settings.hpp"
#include "output.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

struct KeepOptions {
  std::string face, name, starter = "benchmark", program, bundle, settings;
  ValueOptions values;

  [[nodiscard]] fs::path settings_file() const { return settings.empty() ? usual_settings_path() : fs::path(settings); }
};

int make(const KeepOptions& options) {
  const Starter* starter = find_starter(options.starter);
  const fs::path file = FaceLibrary().add(options.name, *starter);
  print(
      "{}: a face to change as you like, started from '{}'\nSee it with: idlemeter face draw {} --rig --ground day -o "
      "face.png\n",
      file.string(), starter->name, options.name);
  return 0;
}

std::string uses_of(const std::string& face, const Settings& settings) {
  std::string uses = settings.face == face ? "  (for all games without a rule)" : "";
  for (const GameRule& rule : settings.games) {
    if (rule.face == face) uses += fmt::format("  (for {})", rule.program);
  }
  return uses;
}

/// Kept faces with what they are used for, then the starters.
int list(const KeepOptions& options) {
  const Settings settings = settings_in(options.settings_file());
  Table table({Table::Align::left, Table::Align::left});
  for (const KeptFace& kept : kept_faces(usual_faces_folder())) {
    std::string about = kept.file.string() + uses_of(kept.name, settings);
    if (!parse_face(FaceFile(kept.file).text()).face) about += "  (has mistakes: see 'idlemeter face check')";
    table.add({kept.name, about});
  }
  for (const Starter& starter : starters())
    table.add({std::string(starter.name), "starter: " + std::string(starter.purpose)});
  print("{}", table.text());
  return 0;
}

int copy(const KeepOptions& options) {
  const auto [file, pictures] = FaceLibrary().copy(options.face, options.name);
  print("{}: a copy of '{}'{}\n", file.string(), options.face,
        pictures == 0 ? "" : fmt::format(" and its {} picture{}", pictures, pictures == 1 ? "" : "s"));
  return 0;
}

/// Changes the settings file, with its comments and order.
int use(const KeepOptions& options) {
  (void)FaceLibrary().load(options.face);
  const fs::path file = options.settings_file();
  choose_face(file, options.face, options.program);
  print("{}: {} now get '{}'\n", file.string(),
        options.program.empty() ? "games without a rule" : fmt::format("games that fit '{}'", options.program),
        options.face);
  return 0;
}

int which(const KeepOptions& options) {
  const Settings settings = settings_in(options.settings_file());
  const auto chosen = face_for(settings, options.program);
  if (!chosen) {
    print("benchmark  (a starter: no rule fits '{}', and the settings have no default)\n", options.program);
  } else if (chosen->rule) {
    print("{}  (rule {}: program = \"{}\")\n", chosen->face, *chosen->rule + 1, settings.games[*chosen->rule].program);
  } else {
    print("{}  (the default: no rule fits '{}')\n", chosen->face, options.program);
  }
  return 0;
}

int pack(const KeepOptions& options) {
  const fs::path bundle = options.bundle.empty() ? fs::path(options.face).stem().string() + ".zip" : options.bundle;
  FaceLibrary().pack(options.face, bundle);
  print("{}: '{}' with its pictures; 'idlemeter face unpack {}' takes it in\n", bundle.string(), options.face,
        bundle.filename().string());
  return 0;
}

/// What this machine doesn't have is shown as missing, not refused.
std::string missing_readings(const Face& face, const Snapshot& now) {
  Table table({Table::Align::left, Table::Align::left});
  for (const std::string& id : readings_of(face)) {
    if (now.find(id).info != nullptr) continue;
    const auto near = nearest_ids(id, now, 1);
    table.add({id, near.empty() ? "" : "nearest here: " + near.front()});
  }
  return table.text("  ");
}

int unpack(const KeepOptions& options) {
  const std::string name = options.name.empty() ? fs::path(options.bundle).stem().string() : options.name;
  const fs::path file = FaceLibrary().unpack(options.bundle, name);
  const Face face = load_face(file);
  print("{}: kept as '{}'\n", file.string(), name);
  Values values(options.values, readings_of(face));
  if (const std::string missing = missing_readings(face, values.next(0)); !missing.empty())
    print("This machine doesn't have these; they show as –:\n{}", missing);
  return 0;
}

std::string check_starter(const std::string& name) {
  if (find_starter(name) != nullptr) return "";
  std::vector<std::string_view> names;
  for (const Starter& starter : starters()) names.push_back(starter.name);
  const std::string hint = did_you_mean(name, names);
  return fmt::format("'{}' isn't a starter{}", name, hint.empty() ? "; 'idlemeter face starters' lists them" : hint);
}

constexpr const char* kFace = "A kept face, a face file, or a starter's name";
using SharedKeep = std::shared_ptr<KeepOptions>;

void add_settings(Command to, const SharedKeep& options) {
  to.option("--settings", options->settings, "The settings file, instead of " + usual_settings_path().string());
}

/// Which faces there are.
void add_kept(Command& face, const SharedKeep& options) {
  Command begin = face.add("new", "Start a face of your own from a starter", options, make);
  begin.option("NAME", options->name, "A name to keep it under, or a file; existing ones are never overwritten")
      .required();
  begin.option("--from", options->starter, "The starter").shows_default().check(check_starter);
  add_settings(face.add("list", "List the faces that are kept, and the starters", options, list), options);
  Command copied = face.add("copy", "Copy a face with its pictures", options, copy);
  copied.option("FACE", options->face, kFace).required();
  copied.option("NAME", options->name, "A name to keep the copy under, or a file").required();
}

/// Which game gets which.
void add_rules(Command& face, const SharedKeep& options) {
  Command used = face.add("use", "Choose the face for a game, or for all without a rule", options, use);
  used.option("FACE", options->face, kFace).required();
  used.option("--game", options->program,
              "A pattern like 'tidepool*' for the game's executable, or '*/Games/*' for its path");
  add_settings(used, options);
  Command chosen = face.add("which", "Show which face a game gets, and why", options, which);
  chosen.option("PROGRAM", options->program, "The game's executable, with its path if rules match paths").required();
  add_settings(chosen, options);
}

}  // namespace

void add_face_keeping(Command& face) {
  const auto options = std::make_shared<KeepOptions>();
  add_kept(face, options);
  add_rules(face, options);
  Command packed = face.add("pack", "Put a face and its pictures into one file, to share", options, pack);
  packed.option("FACE", options->face, kFace).required();
  packed.option("-o,--output", options->bundle, "The bundle to write; by default FACE.zip");
  Command unpacked = face.add("unpack", "Unpack a face that somebody has packed", options, unpack);
  unpacked.option("BUNDLE", options->bundle, "The file").required();
  unpacked.option("--as", options->name, "The name to keep it under; by default the bundle's");
  add_value_options(unpacked, options->values);
}

}  // namespace idlemeter::cli
