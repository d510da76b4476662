// idlemeter play, attach: a game with the meter beside it.
#include <fmt/format.h>
#include <spdlog/sinks/rotating_file_sink.h>
#include <spdlog/spdlog.h>
#include <unistd.h>

#include <cstdlib>
#include <cstring>
#include <map>
#include <memory>
#include <optional>

#include "commands.hpp"
#include "companion.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/kept_faces.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/meter/process.hpp"
#include "idlemeter/meter/recording_plan.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/chosen_face.hpp"
#include "idlemeter/settings/settings.hpp"
#include "named_face.hpp"
#include "outcome.hpp"
#include "output.hpp"
#include "plan_options.hpp"
#include "values.hpp"

extern char** environ;

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

constexpr const char* kAbove = "IDLEMETER_ABOVE";  // marks a game's processes; nothing in them reads it
constexpr const char* kProbe = "libidlemeter-probe-gl.so";

/// Beside the program where it was built, or in the library folder where it was installed.
fs::path probe_library() {
  const fs::path program = fs::read_symlink("/proc/self/exe").parent_path();
  for (const fs::path& folder : {program / "lib", program.parent_path() / "lib",
                                 program.parent_path() / "lib" / "x86_64-linux-gnu", program.parent_path() / "lib64"}) {
    if (fs::exists(folder / "idlemeter" / kProbe)) return folder / "idlemeter" / kProbe;
  }
  throw Error("cannot find the probe that goes into the game", kProbe, "install Idle Meter whole");
}

/// The folder under a name without what LD_PRELOAD and VK_ADD_LAYER_PATH take for the end of a path or expand: a link
/// in the user's own folder for sockets, or in /tmp.
fs::path plain_name_of(const fs::path& folder) {
  constexpr const char* kSpecial = " :;$\t\n";
  if (folder.string().find_first_of(kSpecial) == std::string::npos) return folder;
  for (const fs::path& place : {meter_folder(), fs::path(fmt::format("/tmp/idlemeter-{}", ::geteuid()))}) {
    if (place.string().find_first_of(kSpecial) != std::string::npos) continue;
    make_private_folder(place);
    const fs::path link = place / fmt::format("probe-{:x}", std::hash<std::string>()(folder.string()));
    const fs::path made = link.string() + fmt::format(".{}", ::getpid());
    std::error_code failed;
    fs::create_directory_symlink(folder, made, failed);
    if (!failed) fs::rename(made, link, failed);  // in one step: another meter may make the same
    if (!failed) return link;
  }
  throw Error("games can't load the probe from a folder with such a name", folder.string(),
              "install Idle Meter in a folder without spaces, colons and dollar signs in its path");
}

/// Faces by name for as long as the meter runs: starters are written out once.
class Faces {
 public:
  fs::path file_of(const std::string& name) {
    auto found = faces_.find(name);
    if (found == faces_.end()) found = faces_.emplace(name, std::make_unique<NamedFace>(name)).first;
    return found->second->file();
  }

  static std::vector<std::string> names() {
    std::vector<std::string> names;
    for (const KeptFace& kept : kept_faces(usual_faces_folder())) names.push_back(kept.name);
    for (const Starter& starter : starters()) names.emplace_back(starter.name);
    return names;
  }

 private:
  std::map<std::string, std::unique_ptr<NamedFace>> faces_;
};

std::function<void(const std::string&)> log_file() {
  const fs::path file = user_folder("XDG_STATE_HOME", ".local/state") / "meter.log";
  try {
    const auto logger = spdlog::rotating_logger_mt("meter", file.string(), 1 << 20, 2);
    logger->flush_on(spdlog::level::info);
    return [logger](const std::string& line) { logger->info("[{}] {}", ::getpid(), printable(line)); };
  } catch (const spdlog::spdlog_ex&) {
    return {};  // no place for a log: the game is more important
  }
}

MeterOptions meter_options(const PlayOptions& options, const std::shared_ptr<Faces>& faces) {
  MeterOptions meter;
  meter.folder = meter_folder();
  meter.settings = chosen_settings(options.settings);
  meter.store = options.store;
  meter.game_name = options.game_name;
  RecordingChoices& always = meter.settings.recording;  // also for recordings that are started by key or command
  const RunNotes& notes = options.plan.notes;
  for (const auto& [name, value] : notes.settings) always.settings[name] = value;
  always.tags.insert(always.tags.end(), notes.tags.begin(), notes.tags.end());
  if (!notes.note.empty()) always.note = notes.note;
  meter.visible = !options.hidden;
  meter.faces = Faces::names();
  meter.file_of = [faces](const std::string& name) { return faces->file_of(name); };
  meter.face_of = [settings = meter.settings, face = options.face](const fs::path& executable) {
    if (!face.empty()) return face;
    const auto chosen = face_for(settings, executable);
    return chosen ? chosen->face : std::string("benchmark");
  };
  if (!options.face.empty()) (void)load_face(faces->file_of(options.face));
  meter.log = log_file();
  return meter;
}

/// Takes a variable out of a list; its value, or "".
std::string take(std::vector<std::string>& variables, const std::string& name) {
  std::string value;
  std::erase_if(variables, [&](const std::string& variable) {
    const bool is_it = variable.starts_with(name + "=");
    if (is_it) value = variable.substr(name.size() + 1);
    return is_it;
  });
  return value;
}

/// The game's environment: the OpenGL probe is preloaded, the Vulkan one is a layer; what the user has of either stays.
std::vector<std::string> environment_for(const PlayOptions& options, const fs::path& socket,
                                         const std::string& gpu_time) {
  std::vector<std::string> variables;
  for (char** variable = environ; *variable != nullptr; ++variable) variables.emplace_back(*variable);
  const auto prepend = [&](const std::string& name, const std::string& first) {
    const std::string rest = take(variables, name);
    variables.push_back(name + "=" + first + (rest.empty() ? "" : ":" + rest));
  };
  take(variables, "IDLEMETER_LINK");
  take(variables, "IDLEMETER_GPU_TIME");
  take(variables, kAbove);
  if (options.above) {
    variables.push_back(fmt::format("{}={}", kAbove, ::getpid()));
    return variables;
  }
  variables.push_back("IDLEMETER_LINK=" + socket.string());
  variables.push_back(fmt::format("IDLEMETER_GPU_TIME={}", gpu_time));
  if (options.linked || starts_32_bit(options.game)) return variables;
  const fs::path probe = plain_name_of(probe_library().parent_path()) / kProbe;
  prepend("LD_PRELOAD", probe.string());
  prepend("VK_ADD_LAYER_PATH", (probe.parent_path() / "layers").string());
  constexpr const char* kLayer = "VK_LAYER_IDLEMETER_overlay";
  std::string layers = take(variables, "VK_INSTANCE_LAYERS");  // the last one is nearest to the driver
  if (layers.find(kLayer) == std::string::npos) layers += (layers.empty() ? "" : ":") + std::string(kLayer);
  variables.push_back("VK_INSTANCE_LAYERS=" + layers);
  return variables;
}

Mark mark_of(const PlayOptions& options, const Meter& meter) {
  if (options.above) return {kAbove, std::to_string(::getpid())};
  return {"IDLEMETER_LINK", meter.link_socket().string()};
}

/// "'./game': Permission denied; …", and the status that a shell would give.
int cannot_start(const std::string& game, int error) {
  const char* fix = error == ENOENT    ? "name a program that is there"
                    : error == EACCES  ? "make it executable with 'chmod +x', or name its interpreter first"
                    : error == ENOEXEC ? "it isn't a program; name its interpreter first"
                                       : "see that it can be run without Idle Meter";
  complain("idlemeter: cannot start '{}': {}; {}\n", game, std::strerror(error), fix);
  return error == ENOENT ? 127 : 126;
}

int play(PlayOptions options) {
  const bool is_blind = !options.above && !options.linked && starts_32_bit(options.game);
  if (is_blind) options.program_32_bit = options.game.front();
  if (is_blind && options.end_game) {
    complain(
        "idlemeter: '{}' is a 32-bit program, which can't load the probe: nothing can be recorded; measure it with "
        "--above\n",
        options.game.front());
    return kNothingPresented;
  }
  if (const std::string wrong = problem_with_options(options.plan); !wrong.empty()) return misuse("play", wrong);
  take_signals();
  auto faces = std::make_shared<Faces>();
  MeterOptions settings = meter_options(options, faces);
  if (options.above) {
    settings.above = [own = std::to_string(::getpid())](int pid) { return variable_of(pid, kAbove) == own; };
  }
  const auto end_game = std::make_shared<std::function<void()>>();
  settings.is_ending = &Companion::was_asked_to_end;
  settings.plan_is_over = [end_game] {
    if (*end_game) (*end_game)();
  };
  const std::string gpu_time(name_of(settings.settings.gpu_time));
  const FigureSet figures = FigureSet::named(options.figures, settings.settings.figures);
  auto meter = std::make_unique<Meter>(std::move(settings));
  if (is_planned(options)) meter->record(options.plan);
  int error = 0;
  const pid_t game = start(options.game, environment_for(options, meter->link_socket(), gpu_time), error);
  if (game == 0) return cannot_start(options.game[0], error);
  Companion companion(*meter, game, 0, mark_of(options, *meter));
  if (options.end_game) *end_game = [&companion] { companion.end_game(); };
  if (!options.above && !options.linked) companion.look_for_32_bit(options.end_game);
  meter->run();
  if (options.program_32_bit.empty()) options.program_32_bit = companion.program_32_bit();
  const Outcome outcome = print_outcome(*meter, options, figures);
  meter.reset();
  faces.reset();                         // its folders go before a signal ends this too
  if (options.end_game) return outcome;  // the game was ended by us: its own status says nothing
  const int status = end_like(companion.status());
  return status == 0 ? outcome : status;
}

/// The socket that a process was given to connect to.
fs::path link_of(int pid) {
  const std::string socket = variable_of(pid, "IDLEMETER_LINK");
  if (!socket.empty()) return socket;
  throw Error(fmt::format("process {} was not started with 'idlemeter play', or is another user's", pid), "",
              "start the game with 'idlemeter play -- GAME', or attach with --above: a window above the game's");
}

/// The meter that has the game, if one says so.
std::optional<RunningMeter> holder_of(int pid, const fs::path& folder) {
  for (const RunningMeter& meter : running_meters(folder)) {
    const MeterAnswer answer = ask_meter(meter.control, {.what = MeterCommand::What::state});
    if (answer.state && has_game(*answer.state, pid)) return meter;
  }
  return std::nullopt;
}

/// If another meter has the game, it is asked to let it go, or named.
void make_way(const PlayOptions& options, const fs::path& folder) {
  const auto holder = holder_of(options.pid, folder);
  if (!holder) return;
  if (!options.take_over)
    throw Error(
        fmt::format("meter {} has process {} already", holder->pid, options.pid), "",
        fmt::format("control that one with 'idlemeter tell --pid {0}', or take the game over with 'idlemeter attach "
                    "--take-over {1}'",
                    holder->pid, options.pid));
  const MeterAnswer answer = ask_meter(holder->control, {.what = MeterCommand::What::hand_over});
  if (!answer.error.empty()) throw Error(answer.error, "", "end that meter first");
}

int attach(const PlayOptions& options) {
  take_signals();
  const auto faces = std::make_shared<Faces>();
  MeterOptions settings = meter_options(options, faces);
  if (options.above) {
    if (!is_running(options.pid)) throw Error(fmt::format("there is no process {}", options.pid));
    settings.above = [game = options.pid](int pid) { return descends_from(pid, game); };
  } else {
    const fs::path socket = link_of(options.pid);
    settings.folder = socket.parent_path();
    settings.socket = socket.filename();
    make_way(options, settings.folder);
  }
  settings.is_ending = &Companion::was_asked_to_end;
  const FigureSet figures = FigureSet::named(options.figures, settings.settings.figures);
  Meter meter(std::move(settings));
  Companion companion(meter, 0, options.pid, {});
  meter.run();
  return print_outcome(meter, options, figures);
}

void add_options(Command command, const std::shared_ptr<PlayOptions>& options) {
  command.option("--face", options->face,
                 "A kept face, a face file or a starter's name, regardless of the settings' rules");
  command.option("--game", options->game_name, "The game's name in runs and on faces, instead of its program's");
  command.option("--settings", options->settings, "A settings file instead of " + usual_settings_path().string());
  command.option("--store", options->store, "The file that recordings go to").shows_default();
  command.flag("--above", options->above,
               "Put nothing into the game: a window above its own (X11); frames as the display reports them");
  command.flag("--hidden", options->hidden, "Start without the overlay");
  command.flag("--quiet", options->quiet, "At the end, report only what wasn't recorded");
}

}  // namespace

void add_play(Command app) {
  const auto options = std::make_shared<PlayOptions>();
  Command command = app.add("play", "Play a game with the overlay on it; also as a launcher's prefix",
                            [options] { return play(*options); });
  add_options(command, options);
  command.flag("--record", options->record, "Record from the first present to the last");
  add_plan_options(command, options->plan);
  command.flag(
      "--end-game", options->end_game,
      "End the game after the last run and print the results. Exit status: 0 if every run was recorded, 1 if the store "
      "failed, 3 if a run is short or missing, 4 if nothing was presented");
  command
      .option("--figures", options->figures,
              "What --end-game prints of each run: a set saved under [figures] in the settings, or ids")
      .shows_default();
  command.flag("--linked", options->linked, "The game links Idle Meter's library: put no probe into it");
  command.option("GAME", options->game, "The game and its arguments, after -- if one starts with a dash").required();

  const auto attached = std::make_shared<PlayOptions>();
  Command again =
      app.add("attach", "Reattach to a game that was started with 'play', if its meter is gone or should give way",
              [attached] { return attach(*attached); });
  again.option("PID", attached->pid, "The game's process").required().check(positive());
  again.flag("--take-over", attached->take_over, "If another meter has the game, make that one give it up");
  add_options(again, attached);
}

}  // namespace idlemeter::cli
