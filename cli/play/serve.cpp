// idlemeter serve: live readings for other programs, over HTTP.
#include <fmt/format.h>

#include <memory>
#include <set>

#include "commands.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "idlemeter/serve/metrics.hpp"
#include "idlemeter/serve/metrics_server.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "terminal.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct ServeArgs {
  ValueOptions values;
  ServeOptions serve;
  std::string token_file, certificate, key;
  Nanoseconds every = kSecond;
  bool unprotected = false;
};

/// The frames of the games that meters have now.
void take_frames(GameFrames& games) {
  std::set<std::string> here;
  for (const RunningGame& game : running_games()) {
    const std::string from = fmt::format("{} {}", game.meter, game.state.pid);
    games.take(from, game.state.name, game.state.frame_times);
    here.insert(from);
  }
  games.keep_only(here);
}

/// "" or why it may not listen there.
std::string problem_with(const ServeArgs& options) {
  if (options.certificate.empty() != options.key.empty()) return "TLS needs both --certificate and --key";
  const bool is_protected = !options.token_file.empty() && !options.certificate.empty();
  if (is_loopback(options.serve.address) || is_protected || options.unprotected) return "";
  return fmt::format("others could read at {}: give it --token-file, --certificate and --key, or say --unprotected",
                     options.serve.address);
}

void say_where(const ServeArgs& options, int port) {
  if (!is_loopback(options.serve.address))
    complain("idlemeter: warning: everybody who reaches this machine can reach {}{}\n", options.serve.address,
             options.serve.token.empty() ? ", and needs no token" : "");
  const bool is_six = options.serve.address.find(':') != std::string::npos;
  print("Serving readings at {}://{}{}{}:{}/metrics every {:g} s, until Ctrl-C.\n",
        options.serve.key.empty() ? "http" : "https", is_six ? "[" : "", options.serve.address, is_six ? "]" : "", port,
        in_seconds(options.every));
  flush_output();
}

int serve(ServeArgs options) {
  if (const std::string wrong = problem_with(options); !wrong.empty()) return misuse("serve", wrong);
  if (!options.token_file.empty()) options.serve.token = load_token(options.token_file);
  options.serve.certificate = options.certificate;
  options.serve.key = options.key;
  MetricsServer server(options.serve);
  Values values(options.values);
  const bool is_virtual = !options.values.rig.empty();
  GameFrames games;
  const auto publish = [&](const Snapshot& snapshot) {
    is_virtual ? games.take("rig", "Tidepool Rally", values.frame_times()) : take_frames(games);
    server.publish(snapshot, games);
  };
  publish(values.next(0));
  say_where(options, server.port());
  catch_termination();
  while (!stopped()) {
    if (is_virtual) rest(std::chrono::duration<double>(in_seconds(options.every)));
    publish(values.next(in_seconds(options.every)));
  }
  return 0;
}

}  // namespace

void add_serve(Command app) {
  const auto options = std::make_shared<ServeArgs>();
  Command command = app.add("serve", "Serve live readings to Prometheus and other programs, over HTTP",
                            [options] { return serve(*options); });
  command.option("--port", options->serve.port, "The port to listen on; 0: any free one").shows_default();
  command
      .option("--address", options->serve.address,
              "The address to listen on; other machines need a token and a certificate")
      .shows_default();
  command.option(
      "--every", [options](const std::string& text) { return read_every(text, options->every); },
      "How often to take readings, like 2s; by default every second");
  command.option("--token-file", options->token_file,
                 "A file with the token that clients have to send: Authorization: Bearer TOKEN");
  command.option("--certificate", options->certificate, "A certificate for TLS, as a PEM file");
  command.option("--key", options->key, "Its key, as a PEM file");
  command.flag("--unprotected", options->unprotected,
               "Allow other machines to connect without a token or a certificate");
  add_value_options(command, options->values);
}

}  // namespace idlemeter::cli
