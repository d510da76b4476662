#include "idlemeter/serve/metrics_server.hpp"

#include <arpa/inet.h>
#include <fmt/format.h>
#include <httplib.h>
#include <openssl/crypto.h>
#include <openssl/err.h>
#include <openssl/ssl.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <cerrno>
#include <mutex>
#include <thread>

#include "base/quiet_thread.hpp"
#include "idlemeter/base/error.hpp"
#include "serve/deadline_stream.hpp"
#include "serve/newest_first.hpp"

namespace idlemeter {
namespace {

using serve::DeadlineStream;
using serve::NewestFirst;

constexpr int kOk = 200, kUnauthorized = 401, kForbidden = 403, kNotFound = 404, kUnavailable = 503;

struct FreeTls {
  void operator()(SSL_CTX* context) const { SSL_CTX_free(context); }
};
using Tls = std::unique_ptr<SSL_CTX, FreeTls>;

Tls tls_with(const ServeOptions& options) {
  if (options.certificate.empty() != options.key.empty())
    throw Error(Error::Code::invalid, "TLS needs both a certificate and its key");
  if (options.key.empty()) return nullptr;
  Tls tls(SSL_CTX_new(TLS_server_method()));
  const auto fail = [&](const std::filesystem::path& file) {
    const char* reason = ERR_reason_error_string(ERR_peek_last_error());
    ERR_clear_error();
    throw Error(Error::Code::unreadable,
                fmt::format("it can't be used for TLS ({})", reason == nullptr ? "no reason given" : reason),
                file.string(), "name a certificate and its key as PEM files");
  };
  ERR_clear_error();
  SSL_CTX_set_min_proto_version(tls.get(), TLS1_2_VERSION);
  if (SSL_CTX_use_certificate_chain_file(tls.get(), options.certificate.c_str()) != 1) fail(options.certificate);
  if (SSL_CTX_use_PrivateKey_file(tls.get(), options.key.c_str(), SSL_FILETYPE_PEM) != 1) fail(options.key);
  return tls;
}

/// Takes as long wherever they differ, so that the time doesn't tell how much of a token was right.
bool are_equal(std::string_view a, std::string_view b) {
  return a.size() == b.size() && ::CRYPTO_memcmp(a.data(), b.data(), a.size()) == 0;
}

/// A web page that a browser here shows can reach this machine under a name of its own making, but not under these.
bool names_this_machine(std::string host) {
  if (const std::size_t port = host.rfind(':'); port != std::string::npos && host.find(']', port) == std::string::npos)
    host.resize(port);
  if (host.starts_with('[') && host.ends_with(']')) host = host.substr(1, host.size() - 2);
  return is_loopback(host);  // an address as a whole: "127.example.com" is a name
}

/// A part of the metrics is of no use, and many small parts of them would take megabytes for each request.
void ignore_ranges(httplib::Request& request) {
  request.ranges.clear();
  request.headers.erase("Range");
}

/// One request to a connection, and a deadline for it.
class Http final : public httplib::Server {
 public:
  explicit Http(Tls tls) : tls_(std::move(tls)) {
    new_task_queue = [this] {
      auto* const queue = new NewestFirst();  // the server deletes it when it ends
      queue_ = queue;
      return queue;
    };
  }

  /// So many that come at once aren't turned away; the usual five would be.
  void let_many_come() { ::listen(svr_sock_, SOMAXCONN); }

 private:
  bool process_and_close_socket(socket_t socket) override {
    const auto until = [began = monotonic_now(), queue = queue_.load()] { return began + queue->patience(); };
    bool closed = false, done = false;
    {
      DeadlineStream stream(socket, tls_.get(), until);
      done = stream.accept() && process_request(stream, true, closed, &ignore_ranges);
      stream.close();
    }
    ::close(socket);
    return done;
  }

  Tls tls_;
  std::atomic<NewestFirst*> queue_ = nullptr;
};

}  // namespace

struct MetricsServer::State {
  /// Values, and their texts once somebody has asked.
  struct Newest {
    Snapshot values;
    GameFrames games;
    std::array<std::once_flag, 2> made = {};  // by format
    std::array<std::string, 2> texts = {};

    const std::string& text(MetricsFormat format) {
      const auto place = static_cast<std::size_t>(format);
      std::call_once(made[place], [&] { texts[place] = metrics_text(values, games, format); });
      return texts[place];
    }
  };

  ServeOptions options;
  Http http;
  int port = 0;
  std::thread thread;
  std::mutex mutex;
  std::shared_ptr<Newest> newest;  // which one, under the mutex

  explicit State(const ServeOptions& given) : options(given), http(tls_with(given)) {
    add_routes();
    listen();
    http.let_many_come();
    thread = base::quiet_thread([this] { http.listen_after_bind(); });
  }

  void add_routes() {
    constexpr std::size_t kMostBody = 1'024;
    http.set_payload_max_length(kMostBody);
    http.set_pre_routing_handler([this](const auto& request, auto& response) { return admit(request, response); });
    http.Get("/metrics", [this](const auto& request, auto& response) { answer(request, response); });
    http.Get("/", [](const auto&, auto& response) {
      response.set_content("Idle Meter serves readings at /metrics.\n", "text/plain");
    });
    http.set_error_handler([](const auto&, auto& response) {
      if (response.body.empty() && response.status == kNotFound)
        response.set_content("There is only /metrics here.\n", "text/plain");
    });
    http.set_socket_options([](socket_t socket) {  // the usual ones would let two servers have the same port
      const int yes = 1;
      ::setsockopt(socket, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
    });
  }

  void listen() {
    constexpr int kMostPort = 65'535;
    if (options.port < 0 || options.port > kMostPort)
      throw Error(Error::Code::invalid, fmt::format("there is no port {}", options.port), "",
                  "it is one of 0 to 65535");
    errno = 0;
    port = options.port == 0 ? http.bind_to_any_port(options.address)
                             : (http.bind_to_port(options.address, options.port) ? options.port : -1);
    if (port < 0)
      throw Error(Error::Code::in_use,
                  fmt::format("cannot listen there ({})", errno == 0 ? "no such address" : ::strerror(errno)),
                  fmt::format("{}:{}", options.address, options.port), "choose another address or port",
                  Error::Hint::another_port);
  }

  /// Whether a request may be answered at all.
  httplib::Server::HandlerResponse admit(const httplib::Request& request, httplib::Response& response) const {
    using enum httplib::Server::HandlerResponse;
    response.set_header("X-Content-Type-Options", "nosniff");
    if (!options.token.empty() && !are_equal(request.get_header_value("Authorization"), "Bearer " + options.token)) {
      response.status = kUnauthorized;
      response.set_header("WWW-Authenticate", "Bearer");
      response.set_content("A token is needed: Authorization: Bearer TOKEN\n", "text/plain");
      return Handled;
    }
    if (options.token.empty() && is_loopback(options.address) &&
        !names_this_machine(request.get_header_value("Host"))) {
      response.status = kForbidden;
      response.set_content("Ask for 127.0.0.1 or localhost.\n", "text/plain");
      return Handled;
    }
    return Unhandled;
  }

  void answer(const httplib::Request& request, httplib::Response& response) {
    std::shared_ptr<Newest> known;
    {
      const std::lock_guard lock(mutex);
      known = newest;
    }
    if (known == nullptr) {
      response.status = kUnavailable;
      response.set_content("Nothing has been sampled yet.\n", "text/plain");
      return;
    }
    const bool open = request.get_header_value("Accept").find("application/openmetrics-text") != std::string::npos;
    const MetricsFormat format = open ? MetricsFormat::open_metrics : MetricsFormat::prometheus;
    response.status = kOk;
    response.set_content(known->text(format), std::string(content_type(format)));
  }
};

bool is_loopback(const std::string& address) {
  in_addr four{};
  in6_addr six{};
  if (::inet_pton(AF_INET, address.c_str(), &four) == 1) return ntohl(four.s_addr) >> 24 == 127;
  if (::inet_pton(AF_INET6, address.c_str(), &six) == 1) return IN6_IS_ADDR_LOOPBACK(&six);
  return address == "localhost";
}

MetricsServer::MetricsServer(const ServeOptions& options) : state_(std::make_unique<State>(options)) {
  while (!state_->http.is_running()) std::this_thread::yield();  // or a stop() at once would be missed
}

MetricsServer::~MetricsServer() {
  state_->http.stop();
  state_->thread.join();
}

int MetricsServer::port() const { return state_->port; }

void MetricsServer::publish(const Snapshot& values, const GameFrames& games) {
  auto newest = std::make_shared<State::Newest>();
  newest->values = values;
  newest->games = games;
  const std::lock_guard lock(state_->mutex);
  state_->newest = std::move(newest);
}

}  // namespace idlemeter
