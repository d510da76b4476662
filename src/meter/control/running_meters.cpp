#include "idlemeter/meter/running_meters.hpp"

#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>

#include "base/local_socket.hpp"
#include "base/private_socket.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/meter/command.hpp"
#include "meter/control/connect.hpp"

namespace idlemeter {

using namespace base;

namespace {
constexpr Nanoseconds kAnswerTime = 2 * kSecond;
}

std::filesystem::path meter_folder() { return runtime_folder(); }

std::vector<RunningMeter> running_meters(const std::filesystem::path& folder) {
  std::vector<RunningMeter> meters;
  std::error_code absent;
  for (const auto& entry : std::filesystem::directory_iterator(folder, absent)) {
    const std::filesystem::path& path = entry.path();
    const int pid = std::atoi(path.stem().c_str());
    if (path.extension() != ".control" || pid <= 0) continue;
    const int socket = connect_to(path.c_str());
    if (socket < 0) continue;
    ::close(socket);
    meters.push_back({pid, path});
  }
  std::sort(meters.begin(), meters.end(), [](const auto& a, const auto& b) { return a.pid < b.pid; });
  return meters;
}

int meter::connect_to_meter(const std::filesystem::path& control_socket) {
  const Moment end = monotonic_now() + kAnswerTime;
  int socket = -1;
  while ((socket = connect_to(control_socket.c_str())) < 0) {
    const bool crowded = errno == EAGAIN && monotonic_now() < end;  // others wait to be heard before
    if (!crowded) throw Error(Error::Code::not_found, "no meter answers", control_socket.string());
    ::usleep(2'000);
  }
  return socket;
}

std::string tell_meter(const std::filesystem::path& control_socket, const std::string& command) {
  const Moment end = monotonic_now() + kAnswerTime;
  const int socket = meter::connect_to_meter(control_socket);
  const std::string line = command + "\n";
  std::string answer;
  const bool sent = ::send(socket, line.data(), line.size(), MSG_NOSIGNAL) == static_cast<ssize_t>(line.size());
  while (sent && answer.find('\n') == std::string::npos && monotonic_now() < end) {
    char buffer[4096];
    const ssize_t got = ::recv(socket, buffer, sizeof buffer, MSG_DONTWAIT);
    if (got > 0) answer.append(buffer, static_cast<std::size_t>(got));
    if (got == 0) break;
    if (got < 0) ::usleep(2'000);
  }
  ::close(socket);
  if (answer.find('\n') == std::string::npos)
    throw Error(Error::Code::unavailable, "the meter doesn't answer", control_socket.string(),
                "it may be stopped: 'kill -CONT' its process");
  return answer.substr(0, answer.find('\n'));
}

MeterAnswer ask_meter(const std::filesystem::path& control_socket, const MeterCommand& command) {
  return answer_from_json(tell_meter(control_socket, to_json(command)));
}

bool has_game(const MeterState& state, int pid) {
  return std::any_of(state.games.begin(), state.games.end(), [pid](const GameState& game) { return game.pid == pid; });
}

std::optional<MeterState> state_of(const RunningMeter& meter) {
  try {
    return ask_meter(meter.control, {.what = MeterCommand::What::state}).state;
  } catch (const Error&) {  // it is stopped, or has ended
    return std::nullopt;
  }
}

std::vector<RunningGame> running_games(const std::filesystem::path& folder) {
  std::vector<RunningGame> games;
  for (const RunningMeter& meter : running_meters(folder)) {
    for (const GameState& game : state_of(meter).value_or(MeterState{}).games) games.push_back({meter.pid, game});
  }
  return games;
}

std::vector<RunningMeter> meters_of(int pid, const std::filesystem::path& folder) {
  std::vector<RunningMeter> found = running_meters(folder);
  std::erase_if(found, [pid](const RunningMeter& meter) {
    if (meter.pid == pid) return false;
    const auto state = state_of(meter);
    return !state || !has_game(*state, pid);
  });
  return found;
}

}  // namespace idlemeter
