#include "idlemeter/serve/metrics_server.hpp"

#include <array>
#include <mutex>

#include "http/http_server.hpp"

namespace idlemeter {
namespace {

using http::Answer;
using http::Method;
using http::Request;

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
  std::mutex mutex;
  std::shared_ptr<Newest> newest;  // which one, under the mutex
  http::Server server;             // the last: it ends before what its threads read

  explicit State(const ServeOptions& given)
      : options(given), server({given.address, given.port, given.certificate, given.key}) {
    server.set_gate([this](const Request& request) { return refusal(request); });
    server.add_route(Method::get, "/metrics", [this](const Request& request) { return answer(request); });
    server.add_route(Method::get, "/",
                     [](const Request&) { return said(http::kOk, "Idle Meter serves readings at /metrics.\n"); });
    server.set_otherwise([](const Request&) { return said(http::kNotFound, "There is only /metrics here.\n"); });
    server.start();
  }

  static Answer said(int status, std::string words) {
    return {status, std::move(words), "text/plain", {{"X-Content-Type-Options", "nosniff"}}};
  }

  /// Why a request isn't answered.
  [[nodiscard]] std::optional<Answer> refusal(const Request& request) const {
    if (!options.token.empty()) {
      if (http::are_equal(request.header("Authorization"), "Bearer " + options.token)) return std::nullopt;
      Answer answer = said(http::kUnauthorized, "A token is needed: Authorization: Bearer TOKEN\n");
      answer.headers.emplace_back("WWW-Authenticate", "Bearer");
      return answer;
    }
    if (!is_loopback(options.address) || http::names_this_machine(request.header("Host"))) return std::nullopt;
    return said(http::kForbidden, "Ask for 127.0.0.1 or localhost.\n");
  }

  Answer answer(const Request& request) {
    std::shared_ptr<Newest> known;
    {
      const std::lock_guard lock(mutex);
      known = newest;
    }
    if (known == nullptr) return said(http::kUnavailable, "Nothing has been sampled yet.\n");
    const bool open = request.header("Accept").find("application/openmetrics-text") != std::string::npos;
    const MetricsFormat format = open ? MetricsFormat::open_metrics : MetricsFormat::prometheus;
    Answer text = said(http::kOk, known->text(format));
    text.type = content_type(format);
    return text;
  }
};

bool is_loopback(const std::string& address) { return http::is_loopback(address); }

MetricsServer::MetricsServer(const ServeOptions& options) : state_(std::make_unique<State>(options)) {}

MetricsServer::~MetricsServer() = default;

int MetricsServer::port() const { return state_->server.port(); }

void MetricsServer::publish(const Snapshot& values, const GameFrames& games) {
  auto newest = std::make_shared<State::Newest>();
  newest->values = values;
  newest->games = games;
  const std::lock_guard lock(state_->mutex);
  state_->newest = std::move(newest);
}

}  // namespace idlemeter
