// Idle Meter: readings for other programs, over HTTP.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/serve/metrics.hpp"

namespace idlemeter {

struct ServeOptions {
  std::string address = "127.0.0.1";                 ///< numeric, or a name of this machine's
  int port = 9747;                                   ///< 0: any that is free
  std::string token = {};                            ///< asked for as "Authorization: Bearer TOKEN"; empty: nothing is
  std::filesystem::path certificate = {}, key = {};  ///< PEM; both for TLS 1.2 and later, or neither
};

/// A token: the first line of a file. Throws Error if it can't be read, if others can read it, or if it is short or has
/// spaces.
[[nodiscard]] std::string load_token(const std::filesystem::path& file);

/// Whether only this machine can reach it.
[[nodiscard]] bool is_loopback(const std::string& address);

/// Serves the newest values at /metrics, on threads of its own. Whatever its clients do delays nothing else: each
/// gets five seconds for its one request, half a second when others wait, and a tenth when very many do; publish()
/// never waits for them.
class MetricsServer {
 public:
  /// Listens. Throws Error if the address or the certificate can't be used.
  explicit MetricsServer(const ServeOptions& options);
  MetricsServer(const MetricsServer&) = delete;
  MetricsServer& operator=(const MetricsServer&) = delete;
  ~MetricsServer();

  [[nodiscard]] int port() const;

  /// From now on these are served. Until the first time it answers 503. One thread at a time.
  void publish(const Snapshot& values, const GameFrames& games);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
