// An HTTP server on threads of its own, which hostile clients can't tie up: what serves metrics and the desk.
#pragma once

#include <cstddef>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "idlemeter/base/time.hpp"

namespace idlemeter::http {

inline constexpr int kOk = 200, kSeeOther = 303, kBadRequest = 400, kUnauthorized = 401, kForbidden = 403,
                     kNotFound = 404, kNoSuchMethod = 405, kConflict = 409, kTooLarge = 413, kFailed = 500,
                     kUnavailable = 503;

enum class Method { get, post };

/// What somebody asks, while it is answered.
class Request {
 public:
  virtual ~Request() = default;
  [[nodiscard]] virtual Method method() const = 0;
  [[nodiscard]] virtual std::string path() const = 0;
  /// "" if it has none; the names of headers in any case.
  [[nodiscard]] virtual std::string header(const std::string& name) const = 0;
  /// Of the query, decoded.
  [[nodiscard]] virtual std::optional<std::string> parameter(const std::string& name) const = 0;
  [[nodiscard]] virtual const std::string& body() const = 0;
  /// True if the client's end of the connection belongs to the user whom this process runs as, or to root. False also
  /// if the kernel doesn't list that end, for instance because the client has closed it.
  [[nodiscard]] virtual bool is_from_this_user() const = 0;
};

struct Answer {
  int status = kOk;
  std::string body = {};
  std::string type = "text/plain; charset=utf-8";
  std::vector<std::pair<std::string, std::string>> headers = {};

  /// Instead of a body: the text of one event after the other, as it is sent, "" for none yet; empty: that was all.
  /// Called again only when the client has taken what came before, so that a slow one gets fewer events and costs
  /// nothing else. Each call returns within a second.
  std::function<std::optional<std::string>()> events = {};
};

struct ServerOptions {
  std::string address = "127.0.0.1";                 ///< numeric, or a name of this machine's
  int port = 0;                                      ///< 0: any that is free
  std::filesystem::path certificate = {}, key = {};  ///< PEM; both for TLS 1.2 and later, or neither
  std::string root = {};  ///< "/3f…": all routes are below it; a request's path is without it
};

/// Each client gets one request to a connection and five seconds to ask, and as long to take the answer; half a second
/// when others wait, and a tenth when very many do. A stream of events has half a minute for each.
class Server {
 public:
  using Handler = std::function<Answer(const Request&)>;
  using Gate = std::function<std::optional<Answer>(const Request&)>;

  /// Listens, and answers nothing yet. Throws Error if the address or the certificate can't be used.
  explicit Server(const ServerOptions& options);
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;
  ~Server();

  [[nodiscard]] int port() const;

  /// Called before anything else, and before the body is read; an answer rejects the request.
  void set_gate(Gate gate);
  /// The handler runs in one of many threads. `most_body`: the bytes that a body may have; a request with a larger one,
  /// or of an unknown length to a route without bodies, is rejected before its body is read.
  void add_route(Method method, const std::string& path, const Handler& handler, std::size_t most_body = 0);
  /// Answers what has no route.
  void set_otherwise(Handler handler);
  /// Begins to answer.
  void start();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Compares in constant time.
[[nodiscard]] bool are_equal(std::string_view a, std::string_view b);

/// Whether an address, or "localhost", is one that only this machine reaches.
[[nodiscard]] bool is_loopback(const std::string& address);

/// Whether a Host header names this machine. A page that a browser here shows can reach this machine under a name of
/// its own making, but not under these.
[[nodiscard]] bool names_this_machine(std::string host);

}  // namespace idlemeter::http
