// What strangers hand on or send: SQL in a store's schema, a clip's bytes, a request to the server of metrics.
#include <arpa/inet.h>
#include <sqlite3.h>
#include <sys/socket.h>
#include <unistd.h>

#include "doors.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/footage/clip.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/repair.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/serve/metrics_server.hpp"
#include "insight/run/insight_bytes.hpp"

namespace idlemeter::fuzz {
namespace {

void make_store(const std::filesystem::path& file) {
  Store store(file);
  Recorder recorder(store, {.game = "Tidepool Rally"}, [] { return Moment{}; });
  for (int i = 1; i <= 20; ++i) recorder.add({Moment{i * 10 * kMillisecond}, 10 * kMillisecond});
  recorder.finish();
}

/// Runs a stranger's SQL on a store, for a moment at most.
void execute(const std::filesystem::path& file, const std::string& sql) {
  constexpr int kSteps = 100'000;
  sqlite3* database = nullptr;
  require(sqlite3_open(file.c_str(), &database) == SQLITE_OK);
  sqlite3_limit(database, SQLITE_LIMIT_LENGTH, 1 << 20);
  sqlite3_progress_handler(
      database, kSteps, [](void*) { return 1; }, nullptr);
  sqlite3_exec(database, sql.c_str(), nullptr, nullptr, nullptr);
  sqlite3_close(database);
}

/// A server that runs as long as the fuzzer.
int port() {
  static MetricsServer server({.port = 0});
  static const bool published = (server.publish(Snapshot(Moment{kSecond}, {}), {}), true);
  require(published);
  return server.port();
}

}  // namespace

void result(std::string_view bytes) {
  const auto insight = insight::insight_from(bytes, {});
  if (insight) require(insight::insight_from(insight::bytes_of(*insight), {}).has_value());
}

void schema(std::string_view bytes) {
  const Scratch scratch;
  const auto file = scratch.path() / "a.db";
  make_store(file);
  execute(file, std::string(bytes));
  try {
    Store store(file, Store::Mode::existing);
    for (const RunInfo& run : store.runs()) (void)store.frames(run.id);
    Store mine(scratch.path() / "mine.db");
    (void)mine.add(store);
    require(mine.check().empty() || !store.check().empty());
  } catch (const Error&) {
  }
  try {
    (void)repair_store(file, scratch.path() / "repaired.db");
  } catch (const Error&) {
  }
}

void clip(std::string_view bytes) {
  const Scratch scratch;
  scratch.file("clip.mp4", bytes);
  try {
    const Clip clip = load_clip(scratch.path() / "clip.mp4");
    require(clip.width > 0 && clip.height > 0 && clip.length > Nanoseconds{});
  } catch (const Error&) {
  }
}

void request(std::string_view bytes) {
  constexpr std::size_t kMostAnswer = 1 << 20;
  const int socket = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_port = htons(static_cast<std::uint16_t>(port()));
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  if (::connect(socket, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0) {
    (void)!::send(socket, bytes.data(), bytes.size(), MSG_NOSIGNAL);
    ::shutdown(socket, SHUT_WR);
    std::size_t got = 0;
    char part[65'536];
    for (ssize_t n; (n = ::recv(socket, part, sizeof part, 0)) > 0;) got += static_cast<std::size_t>(n);
    require(got <= kMostAnswer);
  }
  ::close(socket);
}

}  // namespace idlemeter::fuzz
