// A connection that is given so much time and no more.
#pragma once

#include <httplib.h>
#include <openssl/ssl.h>

#include <functional>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter::http {

/// Plain, or TLS with a context. Every call gives up when the time is over, however slowly bytes come.
class DeadlineStream final : public httplib::Stream {
 public:
  /// The socket stays the caller's. `until` is read before each wait: the deadline may move earlier.
  DeadlineStream(socket_t socket, SSL_CTX* tls, std::function<Moment()> until);
  DeadlineStream(const DeadlineStream&) = delete;
  DeadlineStream& operator=(const DeadlineStream&) = delete;
  ~DeadlineStream() override;

  /// TLS's handshake; nothing without.
  bool accept();
  /// TLS's goodbye, without waiting for the answer.
  void close();

  /// How many bytes may be read from now on. A read beyond them fails.
  void allow(std::size_t bytes) { left_ = bytes; }
  /// True if a read has failed because no byte was left.
  [[nodiscard]] bool is_over() const { return is_over_; }

  /// Reads and drops what the client still sends, at most so many bytes: it would never see the answer if the
  /// connection were closed with bytes unread. Nothing with TLS.
  void drain(std::size_t most);

  [[nodiscard]] bool is_readable() const override { return true; }
  [[nodiscard]] bool is_writable() const override { return monotonic_now() < until_(); }
  ssize_t read(char* into, size_t size) override;
  ssize_t write(const char* from, size_t size) override;
  void get_remote_ip_and_port(std::string& ip, int& port) const override;
  void get_local_ip_and_port(std::string& ip, int& port) const override;
  [[nodiscard]] socket_t socket() const override { return socket_; }

 private:
  ssize_t receive(char* into, size_t size);
  /// Whether it can be read from or written to in time.
  bool wait(short events) const;
  /// Calls until it is done, fails, or the time is over.
  template <typename Call>
  int insist(const Call& call);

  socket_t socket_;
  SSL* tls_ = nullptr;
  std::function<Moment()> until_;
  std::size_t left_ = limits::kHttpHead;
  bool is_over_ = false;
};

}  // namespace idlemeter::http
