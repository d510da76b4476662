// What a session is told over its control socket, and by keys.
#include <fmt/format.h>
#include <unistd.h>

#include "idlemeter/error.hpp"
#include "link/handover.hpp"
#include "meter/session.hpp"

namespace idlemeter::meter {

namespace fs = std::filesystem;
using nlohmann::json;

std::string Session::obey(const std::string& line) {
  json answer;
  try {
    const json command = json::parse(line, nullptr, false);
    if (!command.is_object() || !command.value("do", json()).is_string())
      throw Error("not a command", "", "send an object like {\"do\": \"state\"}");
    answer = act(command);
  } catch (const std::exception& error) {
    answer = {{"error", error.what()}};
  }
  return answer.dump(-1, ' ', false, json::error_handler_t::replace);
}

json Session::act(const json& command) {
  const std::string what = command["do"];
  if (what == "show" || what == "hide" || what == "toggle") {
    visible = what == "show" || (what == "toggle" && !visible);
    text_due = 0;
    tick();
    return {{"ok", true}, {"visible", visible}};
  }
  if (what == "clear") {
    for (Game& game : games) game.frames().clear();
    return {{"ok", true}};
  }
  if (what == "mark") return mark();
  if (what == "face") return choose_face(command.value("name", std::string()));
  if (what == "record") return change_recording(command);
  if (what == "state") return state();
  throw Error(fmt::format("'{}' is nothing that a meter does", what));
}

json Session::mark() {
  if (!recording) throw Error("no recording is at work", "", "start one with 'idlemeter tell record'");
  const int marks = recording->mark();
  text_due = 0;
  tick();
  return {{"ok", true}, {"marks", marks}};
}

std::string Session::next_face() {
  if (options.faces.empty()) throw Error("there is no other face");
  const Game* game = main_game();
  for (std::size_t i = 0; game != nullptr && i < options.faces.size(); ++i) {
    if (options.file_of(options.faces[i]) == game->face().file()) return options.faces[(i + 1) % options.faces.size()];
  }
  return options.faces.front();
}

json Session::choose_face(std::string name) {
  if (name.empty()) name = next_face();
  const fs::path file = options.file_of(name);
  (void)load_face(file);
  for (Game& game : games) game.set_face(file);
  return {{"ok", true}, {"face", name}};
}

json Session::change_recording(const json& command) {
  const std::string what = command.value("what", "toggle");
  if (what == "stop" || (what == "toggle" && recording)) {
    planned.reset();
    if (!recording) throw Error("no recording is at work");
    return {{"ok", true}, {"run", stop_recording()}};
  }
  if (recording) throw Error(fmt::format("run {} is being recorded", recording->id()), "", "stop it first");
  plan(command.value("for", 0.0), command.value("after", 0.0));
  record(link::now());
  json answer = {{"ok", true}};
  if (recording) answer["run"] = recording->id();
  return answer;
}

json Session::state_of(Game& game) {
  const Summary summary = game.whole().summary();
  json one = {{"pid", game.pid()},
              {"name", game.name()},
              {"api", game.attachment().api()},
              {"picture", game.picture()},
              {"frames", game.presents()},
              {"lost", game.lost()},
              {"face", game.face().file().string()}};
  if (summary.average_rate) one["average_fps"] = *summary.average_rate;
  if (const Low* low = summary.low(Share{10'000})) one["low_1_percent_fps"] = low->rate;
  if (const std::string blind = game.attachment().blind(); !blind.empty()) one["frames_unknown"] = blind;
  if (!game.face().mistake().empty()) one["mistake"] = game.face().mistake();
  return one;
}

json Session::state() {
  json list = json::array();
  for (Game& game : games) list.push_back(state_of(game));
  json answer = {{"ok", true}, {"pid", ::getpid()}, {"visible", visible}, {"games", list}};
  if (recording) answer["recording"] = {{"run", recording->id()}, {"pid", recording->game().pid()}};
  return answer;
}

}  // namespace idlemeter::meter
