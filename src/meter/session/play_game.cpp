#include "idlemeter/meter/play_game.hpp"

#include <fmt/format.h>
#include <signal.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <memory>

#include "base/launch.hpp"
#include "idlemeter/draw/face_library.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/chosen_face.hpp"
#include "meter/entrance/container.hpp"
#include "meter/entrance/game_environment.hpp"
#include "meter/entrance/process.hpp"
#include "meter/session/companion.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;
using meter::Companion;

/// "'./game': Permission denied; …"
Error cannot_start(const std::string& game, int error) {
  const char* fix = error == ENOENT    ? "name a program that is there"
                    : error == EACCES  ? "make it executable with 'chmod +x', or name its interpreter first"
                    : error == ENOEXEC ? "it isn't a program; name its interpreter first"
                                       : "see that it can be run without Idle Meter";
  return Error(error == ENOENT ? Error::Code::not_found : Error::Code::failed,
               fmt::format("cannot start '{}': {}", game, std::strerror(error)), "", fix);
}

/// What both ways of playing tell the meter. Throws Error if the chosen face can't be read.
MeterOptions meter_options(const PlayOptions& options) {
  MeterOptions meter;
  meter.folder = meter_folder();
  meter.settings = options.settings;
  meter.store = options.store;
  meter.game_name = options.game_name;
  RecordingChoices& always = meter.settings.recording;
  for (const auto& [name, value] : options.notes.settings) always.settings[name] = value;
  always.tags.insert(always.tags.end(), options.notes.tags.begin(), options.notes.tags.end());
  if (!options.notes.note.empty()) always.note = options.notes.note;
  meter.visible = options.visible;
  const auto faces = std::make_shared<FaceLibrary>();
  if (!options.face.empty()) (void)faces->load(options.face);
  meter.faces = faces->names();
  meter.file_of = [faces](const std::string& name) { return faces->file_of(name); };
  meter.face_of = [settings = options.settings, face = options.face](const fs::path& executable) {
    if (!face.empty()) return face;
    const auto chosen = face_for(settings, executable);
    return chosen ? chosen->face : std::string("benchmark");
  };
  meter.is_ending = &Companion::was_asked_to_end;
  meter.log = options.log;
  meter.is_silent = options.is_silent;
  return meter;
}

PlayReport report_of(Meter& meter, const fs::path& file) {
  meter.end_recordings();
  PlayReport report{.games = meter.reports(),
                    .runs = meter.recorded(),
                    .problems = meter.recording_problems(),
                    .never_recorded = meter.has_plan(),
                    .unseen_games = meter.unseen_games()};
  const auto is_kept = [](const RecordedRun& run) { return run.run != 0; };
  if (std::none_of(report.runs.begin(), report.runs.end(), is_kept)) return report;
  try {
    const Store store(file, Store::Mode::existing);
    for (const RecordedRun& one : report.runs) {
      if (is_kept(one) && store.run(one.run).frames == 0) report.empty_runs.push_back(one.run);
    }
  } catch (const Error& error) {  // the runs are recorded, but can't be read now: another program has the store
    report.unread = error.what();
  }
  return report;
}

/// The socket that a process was given to connect to.
fs::path link_of(int pid) {
  const std::string socket = variable_of(pid, meter::kLinkVariable);
  if (!socket.empty() && !meter::is_contained(pid)) return socket;
  if (!socket.empty())
    throw Error(Error::Code::refused,
                fmt::format("process {} is in a container that another meter's socket isn't in", pid), "",
                "restart the game, or measure it with a window above its own", Error::Hint::play_game);
  throw Error(Error::Code::not_found, fmt::format("process {} was not started with a meter, or is another user's", pid),
              "", "restart the game, or measure it with a window above its own", Error::Hint::play_game);
}

/// The meter that has the game, if one says so.
std::optional<RunningMeter> holder_of(int pid, const fs::path& folder) {
  for (const RunningMeter& meter : running_meters(folder)) {
    const auto state = state_of(meter);
    if (state && has_game(*state, pid)) return meter;
  }
  return std::nullopt;
}

/// If another meter has the game, it is asked to let it go, or named.
void make_way(int pid, bool takes_over, const fs::path& folder) {
  const auto holder = holder_of(pid, folder);
  if (!holder) return;
  if (!takes_over)
    throw Error(Error::Code::in_use, fmt::format("meter {} has process {} already", holder->pid, pid), "",
                "control that one, or take the game over", Error::Hint::take_over);
  const MeterAnswer answer = ask_meter(holder->control, {.what = MeterCommand::What::hand_over});
  if (!answer.error.empty()) throw Error(Error::Code::in_use, answer.error, "", "end that meter first");
}

meter::Mark mark_of(FrameWay way, const Meter& meter) {
  if (way == FrameWay::above) return {meter::kAboveVariable, std::to_string(::getpid())};
  return {meter::kLinkVariable, meter.link_socket().string()};
}

}  // namespace

bool PlayReport::is_complete() const {
  const bool any_short = std::any_of(runs.begin(), runs.end(), [](const RecordedRun& run) { return run.is_short; });
  return !never_recorded && !any_short && empty_runs.empty() && problems.empty();
}

bool lacks_probe(const std::vector<std::string>& game) {
  return !game.empty() && !meter::has_32_bit_probe() && is_32_bit(base::program_in_path(game.front()));
}

PlayReport play_game(const std::vector<std::string>& game, const PlayOptions& options) {
  const meter::TakenSignals taken;
  const bool is_unmeasured = options.way == FrameWay::probe && lacks_probe(game);
  MeterOptions settings = meter_options(options);
  if (options.way == FrameWay::above) {
    settings.above = [own = std::to_string(::getpid())](int pid) {
      return variable_of(pid, meter::kAboveVariable) == own;
    };
  }
  const auto end_game = std::make_shared<std::function<void()>>();
  settings.plan_is_over = [end_game] {
    if (*end_game) (*end_game)();
  };
  Meter meter(std::move(settings));
  if (options.plan) meter.record(*options.plan);
  const bool loads_probe = options.way == FrameWay::probe && !is_unmeasured;
  int error = 0;
  const auto environment = meter::environment_for(options, meter.link_socket(), loads_probe);
  const pid_t process =
      meter::start(meter::with_shares(game, environment, meter.link_socket()), environment.variables, error);
  if (process == 0) return {.not_started = cannot_start(game.front(), error)};
  Companion companion(meter, process, 0, mark_of(options.way, meter));
  if (options.ends_game) *end_game = [&companion] { companion.end_game(); };
  if (options.ends_game && options.silent_end) companion.end_without_frames(*options.silent_end);
  if (options.way == FrameWay::probe && !meter::has_32_bit_probe()) companion.look_for_32_bit(options.ends_game);
  if (loads_probe) companion.look_for_containers({environment.probes, meter.link_socket()});
  meter.run();
  PlayReport report = report_of(meter, options.store);
  report.contained_program = companion.contained().program;
  for (const fs::path& path : companion.contained().missing) report.unshared.push_back(path.string());
  report.program_32_bit = is_unmeasured ? game.front() : companion.program_32_bit();
  report.unmeasured = companion.unmeasured();
  report.was_asked_to_end = companion.game_was_asked_to_end();
  report.status = companion.status();
  *end_game = {};
  return report;
}

PlayReport attach_to_game(int process, bool takes_over, const PlayOptions& options) {
  const meter::TakenSignals taken;
  MeterOptions settings = meter_options(options);
  if (options.way == FrameWay::above) {
    if (!is_running(process)) throw Error(Error::Code::not_found, fmt::format("there is no process {}", process));
    settings.above = [process](int pid) { return descends_from(pid, process); };
  } else {
    const fs::path socket = link_of(process);
    settings.folder = socket.parent_path();
    settings.socket = socket.filename();
    make_way(process, takes_over, settings.folder);
  }
  Meter meter(std::move(settings));
  Companion companion(meter, 0, process, {});
  meter.run();
  return report_of(meter, options.store);
}

int end_like(int status) {
  if (!WIFSIGNALED(status)) return WEXITSTATUS(status);
  const rlimit none{0, 0};
  ::setrlimit(RLIMIT_CORE, &none);
  std::fflush(nullptr);  // a signal drops what is still to be written
  ::signal(WTERMSIG(status), SIG_DFL);
  sigset_t one;
  sigemptyset(&one);
  sigaddset(&one, WTERMSIG(status));
  ::sigprocmask(SIG_UNBLOCK, &one, nullptr);
  ::raise(WTERMSIG(status));
  return 128 + WTERMSIG(status);
}

}  // namespace idlemeter
