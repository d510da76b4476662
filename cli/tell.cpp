// idlemeter tell: commands for running meters.
#include <fmt/format.h>

#include <memory>
#include <nlohmann/json.hpp>

#include "base/text.hpp"
#include "command.hpp"
#include "idlemeter/error.hpp"
#include "idlemeter/meter.hpp"
#include "output.hpp"

namespace idlemeter::cli {
namespace {

using nlohmann::json;

struct TellOptions {
  std::string what, word;
  double seconds = 0, after = 0;
  int pid = 0;
  bool json = false;
};

json command_of(const TellOptions& options) {
  json command = {{"do", options.what}};
  if (options.what == "face" && !options.word.empty()) command["name"] = options.word;
  if (options.what == "record") {
    command["what"] = options.word.empty() ? "toggle" : options.word;
    if (options.seconds > 0) command["for"] = options.seconds;
    if (options.after > 0) command["after"] = options.after;
  }
  return command;
}

/// The meters that are meant: all, or the one with that process or with a game of that process.
std::vector<RunningMeter> meant(const TellOptions& options) {
  const auto all = running_meters();
  if (all.empty()) throw Error("no meter is running", "", "start a game with 'idlemeter play -- GAME'");
  if (options.pid == 0) return all;
  std::vector<RunningMeter> found;
  for (const RunningMeter& meter : all) {
    bool is_it = meter.pid == options.pid;
    const json state = json::parse(tell_meter(meter.control, R"({"do": "state"})"));
    for (const json& game : state.value("games", json::array())) is_it = is_it || game.value("pid", 0) == options.pid;
    if (is_it) found.push_back(meter);
  }
  if (found.empty())
    throw Error(fmt::format("no meter is process {}, or has a game that is", options.pid), "",
                "'idlemeter tell state' lists them");
  return found;
}

std::string recording_words(const json& state) {
  const json recording = state.value("recording", json::object());
  const std::string what = recording.value("state", "");
  if (what == "planned") {
    const double wait = recording.value("in_s", 0.0);
    return wait > 0 ? fmt::format(", will record in {:.0f} s", wait) : ", will record the next game that presents";
  }
  if (what == "opening") return ", recording, waiting for the store";
  if (what == "recording") return fmt::format(", recording run {}", recording.value("run", 0));
  return "";
}

void print_state(const json& state) {
  print("meter {}: overlay {}{}\n", state.value("pid", 0), state.value("visible", false) ? "shown" : "hidden",
        recording_words(state));
  if (state.contains("recording_problem")) print("  not recording: {}\n", state.value("recording_problem", ""));
  for (const json& game : state.value("games", json::array())) {
    const std::string api = game.value("api", ""), unknown = game.value("frames_unknown", "");
    print("  {} {}  {}{}  {} frames{}{}  face {}\n", game.value("pid", 0), printable(game.value("name", "")),
          api.empty() ? "" : api + "  ", game.value("picture", ""), game.value("frames", 0),
          unknown.empty() ? "" : " (they aren't known, for " + unknown + ")",
          game.contains("average_fps") ? fmt::format(", average {:.1f} FPS", game["average_fps"].get<double>()) : "",
          printable(game.value("face", "")));
    if (game.contains("mistake")) print("  {}\n", game.value("mistake", ""));
  }
}

std::string done(const TellOptions& options, const json& answer) {
  if (answer.contains("run") && !answer.value("finished", true))
    return fmt::format("run {} ends as soon as the store takes the rest", answer.value("run", 0));
  if (answer.contains("run")) return fmt::format("run {}", answer.value("run", 0));
  if (answer.contains("face")) return "face " + answer.value("face", "");
  if (answer.contains("visible")) return answer.value("visible", false) ? "shown" : "hidden";
  if (answer.contains("marks")) return fmt::format("mark {}", answer.value("marks", 0));
  return options.what == "record" ? "will record" : "done";
}

int tell(const TellOptions& options) {
  int status = 0;
  for (const RunningMeter& meter : meant(options)) {
    const std::string text = tell_meter(meter.control, command_of(options).dump());
    const json answer = json::parse(text);
    if (answer.contains("error")) {
      complain("idlemeter: meter {}: {}\n", meter.pid, answer.value("error", ""));
      status = 1;
    } else if (options.json) {
      write_raw(json_text(text) + "\n");
    } else if (options.what == "state") {
      print_state(answer);
    } else {
      print("meter {}: {}\n", meter.pid, done(options, answer));
    }
  }
  return status;
}

}  // namespace

void add_tell(CLI::App& app, Action& action) {
  CLI::App* told = app.add_subcommand("tell", "Tell running meters what to do, or ask for their state");
  told->require_subcommand(1);
  const auto options = std::make_shared<TellOptions>();
  const auto add_usual = [options](CLI::App* to) {
    to->add_option("--pid", options->pid, "Only the meter with this process, or with a game that is")
        ->check(CLI::PositiveNumber);
    to->add_flag("--json", options->json, "Answers as JSON, a line for each meter");
  };
  add_usual(told);
  const auto command = [&](const char* name, const char* what) {
    CLI::App* added = told->add_subcommand(name, what);
    add_usual(added);
    added->callback([options, name, &action] {
      options->what = name;
      action = [options] { return tell(*options); };
    });
    return added;
  };
  command("show", "Show the overlay");
  command("hide", "Hide it");
  command("toggle", "Show or hide it");
  command("clear", "Begin the live statistics anew");
  command("mark", "Set a mark in the recording");
  command("state", "What runs, and how");
  command("face", "Change the face: to the next, or to one by name")
      ->add_option("FACE", options->word, "A kept face, a face file or a starter's name");
  CLI::App* record = command("record", "Start or stop a recording");
  record->add_option("WHAT", options->word, "start, stop or toggle (usual)")
      ->check(CLI::IsMember({"start", "stop", "toggle"}));
  record->add_option("--for", options->seconds, "Seconds to record")->check(seconds_from(0.1));
  record->add_option("--after", options->after, "Seconds to wait first")->check(seconds_from(0));
}

}  // namespace idlemeter::cli
