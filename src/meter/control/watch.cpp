#include "idlemeter/meter/watch.hpp"

#include <fmt/format.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <utility>
#include <variant>

#include "base/local_socket.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "meter/control/connect.hpp"
#include "meter/control/state_json.hpp"

namespace idlemeter {
namespace {

using namespace meter;

json json_of(const FrameRecord& frame) {
  json one = {frame.at.time_since_epoch().count(), frame.interval.count(), nullptr};
  if (frame.gpu_work != kUnknownTime) one[2] = frame.gpu_work.count();
  return one;
}

FrameRecord frame_from(const json& one) {
  const json& gpu = one.at(2);
  return {Moment(Nanoseconds(one.at(0).get<std::int64_t>())), Nanoseconds(one.at(1).get<std::int64_t>()),
          gpu.is_null() ? kUnknownTime : Nanoseconds(gpu.get<std::int64_t>())};
}

json json_of(const Value& value) {
  if (const auto* missing = std::get_if<Missing>(&value)) return {{"missing", missing->reason}};
  if (const auto* number = std::get_if<double>(&value)) return *number;
  return std::get<std::string>(value);
}

Value value_from(const json& one) {
  if (one.is_object()) return Missing{one.at("missing").get<std::string>()};
  if (one.is_number()) return one.get<double>();
  return one.get<std::string>();
}

void put_values(json& object, const std::map<std::string, Value>& values) {
  for (const auto& [id, value] : values) object["values"][id] = json_of(value);
}

std::map<std::string, Value> values_from(const json& object) {
  std::map<std::string, Value> values;
  if (!object.contains("values")) return values;
  for (const auto& [id, value] : object["values"].items()) values[id] = value_from(value);
  return values;
}

void put_game(json& object, const MeterUpdate::Game& game) {
  for (const FrameRecord& frame : game.frames) object["new_frames_ns"].push_back(json_of(frame));
  if (game.frames_skipped > 0) object["frames_skipped"] = game.frames_skipped;
  put_values(object, game.values);
}

MeterUpdate::Game frames_and_values_from(const json& object) {
  MeterUpdate::Game game;
  if (object.contains("new_frames_ns")) {
    for (const json& frame : object["new_frames_ns"]) game.frames.push_back(frame_from(frame));
  }
  game.frames_skipped = object.value("frames_skipped", std::uint64_t{0});
  game.values = values_from(object);
  return game;
}

MeterUpdate update_of(const json& object) {
  MeterUpdate update;
  update.at = Moment(Nanoseconds(object.at("at_ns").get<std::int64_t>()));
  update.state = state_from(object).value();
  for (const json& game : object.at("games")) update.games.push_back(frames_and_values_from(game));
  update.values = values_from(object);
  return update;
}

[[noreturn]] void throw_not_an_update(std::string_view why) {
  throw Error(Error::Code::unreadable, fmt::format("the meter's update can't be understood ({})", why), "",
              "it may be of another version");
}

}  // namespace

std::string to_json(const MeterUpdate& update) {
  json object = {{"ok", true}, {"at_ns", update.at.time_since_epoch().count()}};
  put_state(object, update.state);
  for (std::size_t i = 0; i < update.games.size(); ++i) put_game(object["games"].at(i), update.games[i]);
  put_values(object, update.values);
  return text_of(object);
}

MeterUpdate update_from_json(std::string_view text) {
  const json object = json::parse(text, nullptr, false);
  if (!object.is_object()) throw_not_an_update("no JSON object");
  if (object.contains("error")) {
    const MeterAnswer refusal = answer_from_json(text);
    throw Error(refusal.code, refusal.error);
  }
  try {
    return update_of(object);
  } catch (const std::exception& error) {
    throw_not_an_update(error.what());
  }
}

struct MeterWatch::State {
  explicit State(const std::filesystem::path& control_socket) : socket(connect_to_meter(control_socket)) {}
  State(const State&) = delete;
  State& operator=(const State&) = delete;
  ~State() { ::close(socket); }

  /// The next whole line that has come.
  std::optional<std::string> line() {
    const std::size_t end = input.find('\n', searched);
    searched = input.size();
    if (end == std::string::npos) return std::nullopt;
    std::string first = input.substr(0, end);
    input.erase(0, end + 1);
    searched = 0;
    return first;
  }

  void receive() {
    char buffer[65'536];
    const ssize_t got = ::recv(socket, buffer, sizeof buffer, MSG_DONTWAIT);
    if (got > 0) input.append(buffer, static_cast<std::size_t>(got));
    over = over || got == 0 || (got < 0 && errno != EAGAIN && errno != EINTR);
    if (input.size() > limits::kUpdateBytes) throw_not_an_update("it is too long");
  }

  int socket;
  std::string input;
  std::size_t searched = 0;  // so far there is no end of a line
  bool over = false;
};

MeterWatch::MeterWatch(const std::filesystem::path& control_socket, const WatchRequest& request)
    : state_(std::make_unique<State>(control_socket)) {
  const std::string line = to_json(MeterCommand{.what = MeterCommand::What::watch, .watch = request}) + "\n";
  if (::send(state_->socket, line.data(), line.size(), MSG_NOSIGNAL) != static_cast<ssize_t>(line.size()))
    throw Error(Error::Code::unavailable, "the meter doesn't take the request", control_socket.string());
}

MeterWatch::MeterWatch(MeterWatch&&) noexcept = default;
MeterWatch& MeterWatch::operator=(MeterWatch&&) noexcept = default;
MeterWatch::~MeterWatch() = default;

int MeterWatch::descriptor() const { return state_->socket; }
bool MeterWatch::is_over() const { return state_->over; }

std::optional<MeterUpdate> MeterWatch::next(Nanoseconds at_most) {
  const Moment end = monotonic_now() + at_most;
  for (bool last = false; !last;) {
    if (const auto line = state_->line()) return update_from_json(*line);
    if (state_->over) return std::nullopt;
    const Nanoseconds left = std::clamp(end - monotonic_now(), Nanoseconds{}, Nanoseconds(std::chrono::hours(1)));
    last = left == Nanoseconds{};
    pollfd readable{state_->socket, POLLIN, 0};
    const auto wait = std::chrono::ceil<std::chrono::milliseconds>(left);
    if (::poll(&readable, 1, static_cast<int>(wait.count())) < 0) return std::nullopt;  // a signal came
    state_->receive();
  }
  const auto line = state_->line();
  return line ? std::optional(update_from_json(*line)) : std::nullopt;
}

}  // namespace idlemeter
