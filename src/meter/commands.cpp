// What a session is told over its control socket, and by keys.
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <utility>

#include "idlemeter/error.hpp"
#include "link/handover.hpp"
#include "meter/session.hpp"

namespace idlemeter::meter {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr Nanoseconds kAnswerWithin = 1'500 * kMillisecond;  // whoever asked waits for two seconds

std::string text_of(const json& answer) { return answer.dump(-1, ' ', false, json::error_handler_t::replace); }

}  // namespace

void Session::obey(const std::string& line, Control::Answer answer) {
  Reply reply;
  try {
    const json command = json::parse(line, nullptr, false);
    if (!command.is_object() || !command.value("do", json()).is_string())
      throw Error("not a command", "", "send an object like {\"do\": \"state\"}");
    reply = act(command);
  } catch (const std::exception& error) {
    reply = {{{"error", error.what()}}};
  }
  if (reply.later) {
    waiting.push_back({std::move(reply), link::now() + kAnswerWithin, std::move(answer)});
  } else {
    answer(text_of(reply.now));
  }
}

void Session::answer_waiting(Nanoseconds now) {
  for (auto one = waiting.begin(); one != waiting.end();) {
    auto answer = one->reply.later();
    if (!answer && now >= one->until) answer = one->reply.now;
    if (answer) {
      const Waiting done = std::move(*one);
      one = waiting.erase(one);
      done.answer(text_of(*answer));
    } else {
      ++one;
    }
  }
}

Session::Reply Session::act(const json& command) {
  const std::string what = command["do"];
  if (what == "show" || what == "hide" || what == "toggle") {
    visible = what == "show" || (what == "toggle" && !visible);
    text_due = 0;
    tick();
    return {{{"ok", true}, {"visible", visible}}};
  }
  if (what == "clear") {
    for (Game& game : games) game.frames().clear();
    return {{{"ok", true}}};
  }
  if (what == "mark") return {mark()};
  if (what == "face") return {choose_face(command.value("name", std::string()))};
  if (what == "record") return change_recording(command);
  if (what == "hand over") return {hand_over()};
  if (what == "state") return {state()};
  throw Error(fmt::format("unknown command '{}'", what), "", "'idlemeter tell --help' lists those there are");
}

json Session::mark() {
  if (!recording) throw Error("nothing is being recorded", "", "start a recording with 'idlemeter tell record'");
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
  for (Game& game : games) game.set_face(WatchedFace(file, name));
  return {{"ok", true}, {"face", name}};
}

Session::Reply Session::change_recording(const json& command) {
  using Phase = BackgroundRecorder::Phase;
  const std::string what = command.value("what", "toggle");
  if (what == "stop" || (what == "toggle" && recording)) {
    const bool was_planned = std::exchange(planned, std::nullopt).has_value();
    if (!recording && !was_planned) throw Error("nothing is being recorded");
    if (!recording) return {{{"ok", true}}};
    const std::shared_ptr<Recording> stopped = stop_recording();
    return {{{"ok", true}, {"run", stopped->state().run}, {"finished", false}}, [stopped]() -> std::optional<json> {
              if (!stopped->is_done()) return std::nullopt;
              const auto state = stopped->state();
              if (!state.problem.empty()) return json{{"error", state.problem}};
              return json{{"ok", true}, {"run", state.run}, {"finished", true}};
            }};
  }
  if (recording) throw Error(fmt::format("run {} is being recorded", recording->state().run), "", "stop it first");
  plan(command.value("for", 0.0), command.value("after", 0.0));
  record(link::now());
  if (command.value("after", 0.0) > 0 || main_game() == nullptr) return {{{"ok", true}}};
  return {{{"ok", true}}, [this, before = failures]() -> std::optional<json> {
            if (failures > before) return json{{"error", notice}};
            if (!recording) return planned ? std::nullopt : std::optional(json{{"ok", true}});
            if (recording->state().phase == Phase::opening) return std::nullopt;
            return json{{"ok", true}, {"run", recording->state().run}};
          }};
}

json Session::hand_over() {
  if (games.empty()) throw Error("no game is here");
  if (options.above) throw Error("a window above a game isn't handed over", "", "end this meter");
  entrance->close();
  return {{"ok", true}};
}

json Session::state_of_recording() const {
  if (planned && !recording) {
    const Nanoseconds wait = std::max<Nanoseconds>(0, planned->at - link::now());
    return {{"state", "planned"}, {"in_s", static_cast<double>(wait) / kSecond}};
  }
  if (!recording) return {};
  const auto state = recording->state();
  const bool opening = state.phase == BackgroundRecorder::Phase::opening;
  json about = {{"state", opening ? "opening" : "recording"}, {"pid", recording->game().pid()}};
  if (!opening) about["run"] = state.run;
  return about;
}

json Session::state_of(Game& game) {
  const Summary summary = game.whole().summary();
  json one = {{"pid", game.pid()},         {"name", game.name()},       {"api", game.attachment().api()},
              {"picture", game.picture()}, {"frames", game.presents()}, {"lost", game.lost()},
              {"refused", game.refused()}, {"face", game.face().name()}};
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
  if (json about = state_of_recording(); !about.is_null()) answer["recording"] = std::move(about);
  if (!notice.empty()) answer["recording_problem"] = notice;
  return answer;
}

}  // namespace idlemeter::meter
