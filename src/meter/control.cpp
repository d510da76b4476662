#include "meter/control.hpp"

#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>

#include "idlemeter/error.hpp"
#include "idlemeter/meter.hpp"
#include "link/handover.hpp"
#include "sources/private_socket.hpp"

namespace idlemeter {
namespace meter {
namespace {

constexpr std::size_t kMostClients = 16, kLongestCommand = 64 * 1024;

}  // namespace

Control::Control(Loop& loop, std::filesystem::path socket, std::function<std::string(const std::string&)> obey)
    : loop_(loop), path_(std::move(socket)), obey_(std::move(obey)), socket_(sources::listen_privately(path_)) {
  loop_.watch(socket_, [this] { accept(); });
}

Control::~Control() {
  while (!clients_.empty()) leave(clients_.front());
  loop_.unwatch(socket_);
  ::close(socket_);
  std::error_code gone;
  std::filesystem::remove(path_, gone);
}

void Control::accept() {
  const int socket = ::accept4(socket_, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
  if (socket < 0) return;
  if (!sources::peer_is_this_user(socket) || clients_.size() >= kMostClients) {
    ::close(socket);
    return;
  }
  clients_.push_back({socket, {}});
  Client& client = clients_.back();
  loop_.watch(socket, [this, &client] { hear(client); });
}

void Control::hear(Client& client) {
  char buffer[4096];
  const ssize_t got = ::recv(client.socket, buffer, sizeof buffer, MSG_DONTWAIT);
  if (got < 0 && (errno == EAGAIN || errno == EINTR)) return;
  if (got > 0) client.input.append(buffer, static_cast<std::size_t>(got));
  for (std::size_t end; (end = client.input.find('\n')) != std::string::npos;) {
    const std::string answer = obey_(client.input.substr(0, end)) + "\n";
    client.input.erase(0, end + 1);
    (void)!::send(client.socket, answer.data(), answer.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
  }
  if (got <= 0 || client.input.size() >= kLongestCommand) leave(client);
}

void Control::leave(Client& client) {
  loop_.unwatch(client.socket);
  ::close(client.socket);
  clients_.remove_if([&](const Client& one) { return &one == &client; });
}

}  // namespace meter

std::vector<RunningMeter> running_meters(const std::filesystem::path& folder) {
  std::vector<RunningMeter> meters;
  std::error_code absent;
  for (const auto& entry : std::filesystem::directory_iterator(folder, absent)) {
    const std::filesystem::path& path = entry.path();
    const int pid = std::atoi(path.stem().c_str());
    if (path.extension() != ".control" || pid <= 0) continue;
    const int socket = link::connect_to(path.c_str());
    if (socket < 0) continue;
    ::close(socket);
    meters.push_back({pid, path});
  }
  std::sort(meters.begin(), meters.end(), [](const auto& a, const auto& b) { return a.pid < b.pid; });
  return meters;
}

std::string tell_meter(const std::filesystem::path& control_socket, const std::string& command) {
  const Nanoseconds end = link::now() + 2 * kSecond;
  int socket = -1;
  while ((socket = link::connect_to(control_socket.c_str())) < 0) {
    const bool crowded = errno == EAGAIN && link::now() < end;  // others wait to be heard before
    if (!crowded) throw Error("no meter answers", control_socket.string());
    ::usleep(2'000);
  }
  const std::string line = command + "\n";
  std::string answer;
  const bool sent = ::send(socket, line.data(), line.size(), MSG_NOSIGNAL) == static_cast<ssize_t>(line.size());
  while (sent && answer.find('\n') == std::string::npos && link::now() < end) {
    char buffer[4096];
    const ssize_t got = ::recv(socket, buffer, sizeof buffer, MSG_DONTWAIT);
    if (got > 0) answer.append(buffer, static_cast<std::size_t>(got));
    if (got == 0) break;
    if (got < 0) ::usleep(2'000);
  }
  ::close(socket);
  if (answer.find('\n') == std::string::npos)
    throw Error("the meter doesn't answer", control_socket.string(), "it may be stopped: 'kill -CONT' its process");
  return answer.substr(0, answer.find('\n'));
}

}  // namespace idlemeter
