#include "base/line_server.hpp"

#include <string.h>
#include <sys/epoll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <utility>

#include "idlemeter/base/error.hpp"

namespace idlemeter::base {

LineServer::LineServer(std::filesystem::path socket, LineServerOptions options, OnLine line, OnRefused refused)
    : options_(options),
      line_(std::move(line)),
      refused_(refused ? std::move(refused) : [](Client) {}),
      listener_(std::move(socket)),
      poll_(::epoll_create1(EPOLL_CLOEXEC)) {
  if (poll_ < 0) throw Error(Error::Code::failed, std::string("cannot listen: ") + ::strerror(errno));
  watch(listener_.descriptor(), 0);
}

LineServer::~LineServer() {
  for (const Connection& client : clients_) {
    if (client.socket >= 0) ::close(client.socket);
  }
  ::close(poll_);
}

void LineServer::watch(int fd, Client id) const {
  epoll_event event{};
  event.events = EPOLLIN;
  event.data.u64 = id;
  (void)::epoll_ctl(poll_, EPOLL_CTL_ADD, fd, &event);
}

void LineServer::serve() {
  epoll_event events[32];
  const int ready = ::epoll_wait(poll_, events, static_cast<int>(std::size(events)), 0);
  for (int i = 0; i < ready; ++i) {
    if (events[i].data.u64 == 0) {
      accept();
    } else if (const Place client = find(events[i].data.u64); client != clients_.end()) {
      hear(client);
    }
  }
}

void LineServer::accept() {
  const int socket = listener_.accept();
  if (socket < 0) return;
  if (clients_.size() >= options_.most_clients) {
    const Place silent = std::find_if(clients_.begin(), clients_.end(),
                                      [](const Connection& one) { return !one.streams && !one.is_taken; });
    if (!options_.newest_first || silent == clients_.end()) {
      ::close(socket);
      return;
    }
    leave(silent);
  }
  clients_.push_back({.id = ++last_id_, .socket = socket});
  watch(socket, last_id_);
}

void LineServer::hear(Place client) {
  char buffer[16'384];
  const ssize_t got = ::recv(client->socket, buffer, sizeof buffer, MSG_DONTWAIT);
  if (got < 0 && (errno == EAGAIN || errno == EINTR)) return;
  clients_.splice(clients_.end(), clients_, client);
  if (got > 0) client->input.append(buffer, static_cast<std::size_t>(got));
  // A client that is streamed to is only reported once it has closed its connection for good.
  if (got <= 0 && client->streams) return leave(client);
  if (got <= 0) client->closed = true;
  take_lines(client);
}

/// Takes lines until one waits for its answer. The client may be gone afterwards. Meanwhile nothing more is read from
/// it, so that its input stays short however much it sends.
void LineServer::take_lines(Place client) {
  const Client id = client->id;
  client->is_taken = true;
  while (!client->has_left && !client->waits && !client->out_of_step && take_line(*client)) continue;
  client->is_taken = false;
  if (client->has_left) return leave(client);
  const bool over = (client->closed && !client->waits) || client->out_of_step;
  if (over && (!client->input.empty() || client->too_long)) refused_(id);  // a line without an end
  if (over) return leave(client);
  epoll_event event{};
  event.events = client->waits ? 0u : EPOLLIN;
  event.data.u64 = id;
  // A closed connection would be reported again and again.
  (void)::epoll_ctl(poll_, client->closed ? EPOLL_CTL_DEL : EPOLL_CTL_MOD, client->socket, &event);
}

/// False if there is no whole line yet.
bool LineServer::take_line(Connection& client) {
  const std::size_t end = client.input.find('\n');
  const bool whole = end != std::string::npos;
  const bool was_too_long = client.too_long || std::min(end, client.input.size()) > options_.line_bytes;
  if (!whole && was_too_long) client.input.clear();
  client.too_long = !whole && was_too_long;
  client.out_of_step = was_too_long && options_.answers;  // it could take the next answer for this one's
  if (!whole) return false;
  const std::string line = client.input.substr(0, end);
  client.input.erase(0, end + 1);
  if (was_too_long) {
    refused_(client.id);
  } else {
    client.waits = options_.answers;
    line_(client.id, line);
  }
  return true;
}

void LineServer::answer(Client id, std::string_view text) {
  const Place client = find(id);
  if (client == clients_.end() || !client->waits) return;
  const std::string line = std::string(text) + "\n";
  const ssize_t sent = ::send(client->socket, line.data(), line.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
  client->waits = false;
  client->out_of_step = sent != static_cast<ssize_t>(line.size());  // it doesn't read its answers
  if (!client->is_taken) take_lines(client);  // else the loop that handed the line on continues with the next
}

LineServer::Reader LineServer::reader(Client id) {
  const Place client = find(id);
  if (client == clients_.end()) return Reader::gone;
  std::string& output = client->output;
  while (!output.empty()) {
    const ssize_t sent = ::send(client->socket, output.data(), output.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
    if (sent < 0 && errno == EINTR) continue;
    if (sent < 0 && errno == EAGAIN) return Reader::busy;
    if (sent < 0) {
      leave(client);
      return Reader::gone;
    }
    output.erase(0, static_cast<std::size_t>(sent));
  }
  return Reader::ready;
}

void LineServer::stream(Client id, std::string_view text) {
  const Place client = find(id);
  if (client == clients_.end() || !client->waits) return;
  client->streams = true;
  client->output.append(text).append("\n");
  (void)reader(id);
}

LineServer::Place LineServer::find(Client id) {
  return std::find_if(clients_.begin(), clients_.end(),
                      [&](const Connection& one) { return one.id == id && !one.has_left; });
}

/// A client whose lines are being handed on, perhaps further up the stack, is removed once that is over.
void LineServer::leave(Place client) {
  if (client->socket >= 0) ::close(std::exchange(client->socket, -1));
  client->has_left = true;
  if (!client->is_taken) clients_.erase(client);
}

}  // namespace idlemeter::base
