#include "meter/control.hpp"

#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>

#include "idlemeter/error.hpp"
#include "idlemeter/limits.hpp"
#include "idlemeter/meter.hpp"
#include "link/handover.hpp"

namespace idlemeter {
namespace meter {

Control::Control(Loop& loop, std::filesystem::path socket, Obey obey)
    : loop_(loop), obey_(std::move(obey)), listener_(std::move(socket)) {
  loop_.watch(listener_.descriptor(), [this] { accept(); });
}

Control::~Control() {
  while (!clients_.empty()) leave(clients_.front());
  loop_.unwatch(listener_.descriptor());
}

void Control::accept() {
  const int socket = listener_.accept();
  if (socket < 0) return;
  if (clients_.size() >= limits::kClients) {
    const auto longest = [](const Client& a, const Client& b) { return a.heard < b.heard; };
    leave(*std::min_element(clients_.begin(), clients_.end(), longest));
  }
  Client& client = clients_.emplace_back();
  client.id = ++last_id_;
  client.socket = socket;
  client.heard = link::now();
  loop_.watch(socket, [this, &client] { hear(client); });
}

void Control::hear(Client& client) {
  char buffer[4096];
  const ssize_t got = ::recv(client.socket, buffer, sizeof buffer, MSG_DONTWAIT);
  if (got < 0 && (errno == EAGAIN || errno == EINTR)) return;
  if (got > 0) client.input.append(buffer, static_cast<std::size_t>(got));
  if (got <= 0) {
    client.closed = true;
    loop_.unwatch(client.socket);
  }
  client.heard = link::now();
  obey_lines(client);
}

/// The client may be gone afterwards.
void Control::obey_lines(Client& client) {
  const std::uint64_t id = client.id;
  for (std::size_t end; !client.waits && (end = client.input.find('\n')) != std::string::npos;) {
    const std::string line = client.input.substr(0, end);
    client.input.erase(0, end + 1);
    client.waits = true;
    obey_(line, [this, id](const std::string& text) { answer(id, text); });
    if (find(id) == nullptr) return;
  }
  const bool over = client.closed && !client.waits;
  if (over || client.input.size() >= limits::kCommandBytes) leave(client);
}

void Control::answer(std::uint64_t id, const std::string& text) {
  Client* const client = find(id);
  if (client == nullptr || !client->waits) return;
  const std::string line = text + "\n";
  (void)!::send(client->socket, line.data(), line.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
  client->waits = false;
  if (client->closed || !client->input.empty()) obey_lines(*client);
}

Control::Client* Control::find(std::uint64_t id) {
  const auto found = std::find_if(clients_.begin(), clients_.end(), [&](const Client& one) { return one.id == id; });
  return found == clients_.end() ? nullptr : &*found;
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
