#include "http/http_server.hpp"

#include <arpa/inet.h>
#include <fmt/format.h>
#include <httplib.h>
#include <openssl/crypto.h>
#include <openssl/err.h>
#include <openssl/ssl.h>
#include <poll.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <map>
#include <regex>
#include <thread>

#include "base/quiet_thread.hpp"
#include "http/deadline_stream.hpp"
#include "http/newest_first.hpp"
#include "http/peer.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"

namespace idlemeter::http {
namespace {

constexpr std::size_t kMostDropped = std::size_t{1} << 30;  // bytes of a refused body

struct FreeTls {
  void operator()(SSL_CTX* context) const { SSL_CTX_free(context); }
};
using Tls = std::unique_ptr<SSL_CTX, FreeTls>;

[[noreturn]] void fail_tls(const std::filesystem::path& file) {
  const char* reason = ERR_reason_error_string(ERR_peek_last_error());
  ERR_clear_error();
  throw Error(Error::Code::unreadable,
              fmt::format("it can't be used for TLS ({})", reason == nullptr ? "no reason given" : reason),
              file.string(), "name a certificate and its key as PEM files");
}

Tls tls_with(const ServerOptions& options) {
  if (options.certificate.empty() != options.key.empty())
    throw Error(Error::Code::invalid, "TLS needs both a certificate and its key");
  if (options.key.empty()) return nullptr;
  for (const std::filesystem::path& file : {options.certificate, options.key}) {
    std::error_code failed;
    if (std::filesystem::exists(file, failed) && !std::filesystem::is_regular_file(file, failed))
      throw Error(Error::Code::unreadable, "is not a regular file", file.string(),
                  "name a certificate and its key as PEM files");
  }
  Tls tls(SSL_CTX_new(TLS_server_method()));
  ERR_clear_error();
  SSL_CTX_set_min_proto_version(tls.get(), TLS1_2_VERSION);
  if (SSL_CTX_use_certificate_chain_file(tls.get(), options.certificate.c_str()) != 1) fail_tls(options.certificate);
  if (SSL_CTX_use_PrivateKey_file(tls.get(), options.key.c_str(), SSL_FILETYPE_PEM) != 1) fail_tls(options.key);
  return tls;
}

/// The connection that a thread serves, while it does.
struct Served {
  socket_t socket;
  Moment since = monotonic_now();            ///< its client's time counts from then: to ask, then to take the answer
  std::optional<Moment> streams_until = {};  ///< of a stream of events: when its client has to have taken the last one
  DeadlineStream* stream = nullptr;
  bool takes_gzip = false;
  bool has_unread = false;   ///< the answer was given before the body was read
  std::size_t reserved = 0;  ///< bytes of limits::kHttpBodies
};
thread_local Served* served = nullptr;

/// A part of an answer is of no use, and many small parts of one would take megabytes for each request. What is
/// compressed is decided here, not by the library: its Brotli takes seconds for a megabyte.
void prepare(httplib::Request& request) {
  request.ranges.clear();
  request.headers.erase("Range");
  served->takes_gzip = request.get_header_value("Accept-Encoding").find("gzip") != std::string::npos;
  request.headers.erase("Accept-Encoding");
}

/// One request to a connection, and a deadline for it.
class Sockets final : public httplib::Server {
 public:
  explicit Sockets(Tls tls) : tls_(std::move(tls)) {
    new_task_queue = [this] {
      auto* const queue = new NewestFirst();  // the server deletes it when it ends
      queue_ = queue;
      return queue;
    };
  }

  /// So many that come at once aren't turned away; the usual five would be.
  void let_many_come() { ::listen(svr_sock_, SOMAXCONN); }

  [[nodiscard]] bool is_ending() const { return queue_.load()->patience() == Nanoseconds{}; }

  /// Whether there is room for a body of so many bytes beside those that are being read. Gives it back at the request's
  /// end.
  [[nodiscard]] bool reserve(std::size_t bytes) {
    if (bodies_.fetch_add(bytes) + bytes > limits::kHttpBodies) {
      bodies_ -= bytes;
      return false;
    }
    served->reserved = bytes;
    served->stream->allow(bytes + limits::kHttpHead);
    return true;
  }

 private:
  bool process_and_close_socket(socket_t socket) override {
    Served here{socket};
    served = &here;
    const auto until = [&here, queue = queue_.load()] {
      const Nanoseconds patience = queue->patience();
      return here.streams_until && patience > Nanoseconds{} ? *here.streams_until : here.since + patience;
    };
    bool closed = false, done = false;
    {
      DeadlineStream stream(socket, tls_.get(), until);
      here.stream = &stream;
      done = stream.accept() && process_request(stream, true, closed, &prepare);
      bodies_ -= here.reserved;
      if (here.has_unread) stream.drain(kMostDropped);
      stream.close();
    }
    served = nullptr;
    ::close(socket);
    return done;
  }

  Tls tls_;
  std::atomic<NewestFirst*> queue_ = nullptr;
  std::atomic<std::size_t> bodies_ = 0;  ///< bytes of bodies that are being read
};

class OneRequest final : public Request {
 public:
  OneRequest(const httplib::Request& request, const std::string& body, std::size_t root)
      : request_(request), body_(body), root_(root) {}

  [[nodiscard]] Method method() const override { return request_.method == "POST" ? Method::post : Method::get; }
  [[nodiscard]] std::string path() const override {
    return request_.path.substr(std::min(root_, request_.path.size()));
  }
  [[nodiscard]] std::string header(const std::string& name) const override { return request_.get_header_value(name); }
  [[nodiscard]] std::optional<std::string> parameter(const std::string& name) const override {
    return request_.has_param(name) ? std::optional(request_.get_param_value(name)) : std::nullopt;
  }
  [[nodiscard]] const std::string& body() const override { return body_; }
  [[nodiscard]] bool is_from_this_user() const override {
    const std::optional<uid_t> user = peer_user(served->socket);
    return user && (*user == ::geteuid() || *user == 0);
  }

 private:
  const httplib::Request& request_;
  const std::string& body_;
  std::size_t root_;  ///< bytes of the path that come before the routes'
};

/// "br" isn't offered: see prepare().
bool is_worth_packing(const Answer& answer) {
  constexpr std::size_t kLeast = 1'024;
  const auto is_coding = [](const auto& header) { return header.first == "Content-Encoding"; };
  return served->takes_gzip && answer.body.size() >= kLeast && answer.body.size() <= limits::kHttpPacked &&
         (answer.type.starts_with("text/") || answer.type.starts_with("application/json")) &&
         std::none_of(answer.headers.begin(), answer.headers.end(), is_coding);
}

std::string packed(const std::string& body) {
  std::string bytes;
  httplib::detail::gzip_compressor packer;
  const bool is_whole = packer.compress(body.data(), body.size(), true, [&](const char* data, std::size_t size) {
    bytes.append(data, size);
    return true;
  });
  if (!is_whole) throw Error(Error::Code::failed, "the answer can't be compressed");
  return bytes;
}

Answer too_large() { return {kTooLarge, "That is too large.\n"}; }

bool has_gone(socket_t socket) {
  pollfd one{socket, POLLRDHUP, 0};
  return ::poll(&one, 1, 0) > 0 && (one.revents & (POLLRDHUP | POLLHUP | POLLERR)) != 0;
}

std::string pattern_of(const std::string& path) {
  return std::regex_replace(path, std::regex(R"([.^$|()\[\]{}*+?\\])"), R"(\$&)");
}

}  // namespace

struct Server::State {
  Sockets sockets;
  std::string root;
  std::map<std::string, std::size_t> bodies;  ///< the paths that take bodies, and the bytes that each may have
  Gate gate;
  Handler otherwise;
  int port = 0;
  std::thread thread;
  std::atomic<std::size_t> streams = 0;

  explicit State(const ServerOptions& options) : sockets(tls_with(options)), root(options.root) {
    sockets.set_payload_max_length(limits::kHttpBody);
    sockets.set_socket_options([](socket_t socket) {  // the usual ones would let two servers have the same port
      const int yes = 1;
      ::setsockopt(socket, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
    });
    sockets.set_pre_routing_handler([this](const auto& request, auto& response) {
      const auto refused = refusal(request);
      if (!refused) return httplib::Server::HandlerResponse::Unhandled;
      served->has_unread = request.method != "GET";
      put(*refused, response);
      return httplib::Server::HandlerResponse::Handled;
    });
    sockets.set_error_handler([this](const auto& request, auto& response) {
      if (response.body.empty() && response.status == kNotFound) put(nothing_here(request), response);
    });
    listen(options);
  }

  [[nodiscard]] OneRequest without_body(const httplib::Request& request) const {
    static const std::string empty;
    return {request, empty, root.size()};
  }

  [[nodiscard]] Answer nothing_here(const httplib::Request& request) const {
    return otherwise ? otherwise(without_body(request)) : Answer{kNotFound, "There is nothing here.\n"};
  }

  /// Why a request isn't answered, before its body is read.
  [[nodiscard]] std::optional<Answer> refusal(const httplib::Request& request) {
    if (gate) {
      if (auto answer = gate(without_body(request))) return answer;
    }
    if (request.method == "GET" || request.method == "HEAD") return std::nullopt;
    if (request.method != "POST") return Answer{kNoSuchMethod, "Only GET and POST are answered here.\n"};
    return refusal_of_body(request);
  }

  [[nodiscard]] std::optional<Answer> refusal_of_body(const httplib::Request& request) {
    const auto found = bodies.find(request.path);
    if (found == bodies.end()) return nothing_here(request);
    const bool is_chunked = request.has_header("Transfer-Encoding");
    if (!is_chunked && !request.has_header("Content-Length"))
      return Answer{kBadRequest, "The request doesn't say how long its body is.\n"};
    if (request.get_header_value("Content-Type").starts_with("multipart/"))
      return Answer{kBadRequest, "A body in several parts isn't read here.\n"};
    const std::size_t bytes = is_chunked ? found->second : request.get_header_value<std::uint64_t>("Content-Length");
    if (bytes > found->second) return too_large();
    if (!sockets.reserve(bytes)) return Answer{kUnavailable, "Too much is being sent at once: try again.\n"};
    return std::nullopt;
  }

  void listen(const ServerOptions& options) {
    constexpr int kMostPort = 65'535;
    if (options.port < 0 || options.port > kMostPort)
      throw Error(Error::Code::invalid, fmt::format("there is no port {}", options.port), "",
                  "it is one of 0 to 65535");
    errno = 0;
    port = options.port == 0 ? sockets.bind_to_any_port(options.address)
                             : (sockets.bind_to_port(options.address, options.port) ? options.port : -1);
    if (port < 0)
      throw Error(Error::Code::in_use,
                  fmt::format("cannot listen there ({})", errno == 0 ? "no such address" : ::strerror(errno)),
                  fmt::format("{}:{}", options.address, options.port), "choose another address or port",
                  Error::Hint::another_port);
    sockets.let_many_come();
  }

  /// However long the answer takes to make, its client has the usual time to take it.
  void answer(const Handler& handler, const OneRequest& request, httplib::Response& response) {
    put(handler(request), response);
    served->since = monotonic_now();
  }

  void put(const Answer& answer, httplib::Response& response) {
    response.status = answer.status;
    for (const auto& [name, value] : answer.headers) response.set_header(name, value);
    if (!answer.events && is_worth_packing(answer)) {
      response.set_header("Content-Encoding", "gzip");
      return response.set_content(packed(answer.body), answer.type);
    }
    if (!answer.events) return response.set_content(answer.body, answer.type);
    if (streams.fetch_add(1) >= limits::kHttpStreams) {
      --streams;
      response.status = kUnavailable;
      return response.set_content("Too many pages watch already: close one.\n", "text/plain");
    }
    response.set_content_provider(
        answer.type, [this, next = answer.events](std::size_t, httplib::DataSink& sink) { return send(next, sink); },
        [this](bool) { --streams; });
  }

  /// One event, once there is one.
  bool send(const std::function<std::optional<std::string>()>& next, httplib::DataSink& sink) {
    constexpr Nanoseconds kPatience = 30 * kSecond;
    while (!sockets.is_ending() && !has_gone(served->socket)) {
      const std::optional<std::string> event = next();
      if (!event) {
        sink.done();
        return true;
      }
      if (event->empty()) continue;
      served->streams_until = monotonic_now() + kPatience;
      return sink.write(event->data(), event->size());
    }
    return false;
  }
};

Server::Server(const ServerOptions& options) : state_(std::make_unique<State>(options)) {}

Server::~Server() {
  if (!state_->thread.joinable()) return;
  state_->sockets.stop();
  state_->thread.join();
}

int Server::port() const { return state_->port; }

void Server::set_gate(Gate gate) { state_->gate = std::move(gate); }
void Server::set_otherwise(Handler handler) { state_->otherwise = std::move(handler); }

void Server::add_route(Method method, const std::string& path, const Handler& handler, std::size_t most_body) {
  State& state = *state_;
  const std::string whole = state.root + path;
  if (method == Method::get) {
    state.sockets.Get(pattern_of(whole), [&state, handler](const auto& request, auto& response) {
      state.answer(handler, state.without_body(request), response);
    });
    return;
  }
  state.bodies[whole] = most_body;
  state.sockets.Post(pattern_of(whole), [&state, handler, most_body](const auto& request, auto& response,
                                                                     const httplib::ContentReader& read) {
    std::string body;
    bool is_too_large = false;
    const bool is_whole = read([&](const char* data, std::size_t size) {
      is_too_large = body.size() + size > most_body;
      if (!is_too_large) body.append(data, size);
      return !is_too_large;
    });
    served->has_unread = is_too_large || served->stream->is_over();
    if (served->has_unread) return state.put(too_large(), response);
    if (is_whole) state.answer(handler, OneRequest(request, body, state.root.size()), response);
  });
}

void Server::start() {
  state_->thread = base::quiet_thread([this] { state_->sockets.listen_after_bind(); });
  while (!state_->sockets.is_running()) std::this_thread::yield();  // or a stop() at once would be missed
}

bool are_equal(std::string_view a, std::string_view b) {
  return a.size() == b.size() && ::CRYPTO_memcmp(a.data(), b.data(), a.size()) == 0;
}

bool is_loopback(const std::string& address) {
  in_addr four{};
  in6_addr six{};
  if (::inet_pton(AF_INET, address.c_str(), &four) == 1) return ntohl(four.s_addr) >> 24 == 127;
  if (::inet_pton(AF_INET6, address.c_str(), &six) == 1) return IN6_IS_ADDR_LOOPBACK(&six);
  return address == "localhost";
}

bool names_this_machine(std::string host) {
  if (const std::size_t port = host.rfind(':'); port != std::string::npos && host.find(']', port) == std::string::npos)
    host.resize(port);
  if (host.starts_with('[') && host.ends_with(']')) host = host.substr(1, host.size() - 2);
  return is_loopback(host);  // an address as a whole: "127.example.com" is a name
}

}  // namespace idlemeter::http
