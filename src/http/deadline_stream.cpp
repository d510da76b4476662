#include "http/deadline_stream.hpp"

#include <fcntl.h>
#include <poll.h>
#include <sys/socket.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdint>
#include <utility>

namespace idlemeter::http {

DeadlineStream::DeadlineStream(socket_t socket, SSL_CTX* tls, std::function<Moment()> until)
    : socket_(socket), until_(std::move(until)) {
  ::fcntl(socket, F_SETFL, ::fcntl(socket, F_GETFL) | O_NONBLOCK);
  if (tls == nullptr) return;
  tls_ = SSL_new(tls);
  if (tls_ != nullptr) SSL_set_fd(tls_, socket);
}

DeadlineStream::~DeadlineStream() { SSL_free(tls_); }

bool DeadlineStream::wait(short events) const {
  for (;;) {
    constexpr std::int64_t kLookAgain = 100;  // milliseconds
    const auto left = std::chrono::ceil<std::chrono::milliseconds>(until_() - monotonic_now()).count();
    if (left <= 0) return false;
    pollfd one{socket_, events, 0};
    const int ready = ::poll(&one, 1, static_cast<int>(std::min(left, kLookAgain)));
    if (ready > 0) return true;
    if (ready < 0 && errno != EINTR) return false;
  }
}

template <typename Call>
int DeadlineStream::insist(const Call& call) {
  for (;;) {
    const int done = call();
    if (done > 0) return done;
    const int why = SSL_get_error(tls_, done);
    const bool waits = why == SSL_ERROR_WANT_READ || why == SSL_ERROR_WANT_WRITE;
    if (!waits || !wait(why == SSL_ERROR_WANT_READ ? POLLIN : POLLOUT)) return -1;
  }
}

bool DeadlineStream::accept() {
  return tls_ == nullptr || insist([this] { return SSL_accept(tls_); }) > 0;
}

void DeadlineStream::close() {
  if (tls_ != nullptr) SSL_shutdown(tls_);
  ::shutdown(socket_, SHUT_RDWR);
}

ssize_t DeadlineStream::read(char* into, size_t size) {
  is_over_ = is_over_ || left_ == 0;
  if (is_over_) return -1;
  const ssize_t got = receive(into, std::min(size, left_));
  if (got > 0) left_ -= static_cast<std::size_t>(got);
  return got;
}

void DeadlineStream::drain(std::size_t most) {
  if (tls_ != nullptr) return;
  ::shutdown(socket_, SHUT_WR);
  std::array<char, std::size_t{64} << 10> dropped{};
  for (std::size_t all = 0; all < most;) {
    const ssize_t got = receive(dropped.data(), dropped.size());
    if (got <= 0) return;
    all += static_cast<std::size_t>(got);
  }
}

ssize_t DeadlineStream::receive(char* into, size_t size) {
  if (tls_ != nullptr)
    return insist([&] { return SSL_read(tls_, into, static_cast<int>(std::min<size_t>(size, 1 << 20))); });
  for (;;) {
    if (!wait(POLLIN)) return -1;
    const ssize_t got = ::recv(socket_, into, size, 0);
    if (got >= 0 || (errno != EINTR && errno != EAGAIN)) return got;
  }
}

ssize_t DeadlineStream::write(const char* from, size_t size) {
  if (tls_ != nullptr)
    return insist([&] { return SSL_write(tls_, from, static_cast<int>(std::min<size_t>(size, 1 << 20))); });
  for (;;) {
    if (!wait(POLLOUT)) return -1;
    const ssize_t sent = ::send(socket_, from, size, MSG_NOSIGNAL);
    if (sent >= 0 || (errno != EINTR && errno != EAGAIN)) return sent;
  }
}

// Nobody asks.
void DeadlineStream::get_remote_ip_and_port(std::string& ip, int& port) const {
  ip.clear();
  port = 0;
}
void DeadlineStream::get_local_ip_and_port(std::string& ip, int& port) const {
  ip.clear();
  port = 0;
}

}  // namespace idlemeter::http
