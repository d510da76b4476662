// Live readings for other programs: the text, the server and its clients, a real Prometheus.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <httplib.h>
#include <netinet/in.h>
#include <signal.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "command.hpp"
#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/frames/frame_histogram.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/serve/metrics.hpp"
#include "idlemeter/serve/metrics_server.hpp"
#include "stores.hpp"

extern char** environ;

namespace idlemeter {
namespace {

using namespace std::chrono_literals;
using testing::run;
using testing::snapshot_of;
using testing::Step;

Snapshot one_reading() {
  return snapshot_of({{.id = "cpu.load", .kind = DeviceKind::processor, .unit = Unit::percent}}, {25.0});
}

TEST(MetricsServer, AnswersWhoMayAsk) {
  MetricsServer server({.port = 0});
  httplib::Client client("127.0.0.1", server.port());
  EXPECT_EQ(client.Get("/metrics")->status, 503);
  server.publish(one_reading(), {});
  const auto plain = client.Get("/metrics");
  EXPECT_EQ(plain->status, 200);
  EXPECT_EQ(plain->get_header_value("Content-Type"), content_type(MetricsFormat::prometheus));
  EXPECT_NE(plain->body.find("idlemeter_processor_load_ratio{reading=\"cpu.load\",device=\"\"} 0.25\n"),
            std::string::npos);
  const auto open = client.Get("/metrics", {{"Accept", "application/openmetrics-text;version=1.0.0,text/plain;q=0.5"}});
  EXPECT_EQ(open->get_header_value("Content-Type"), content_type(MetricsFormat::open_metrics));
  EXPECT_EQ(client.Get("/")->status, 200);
  EXPECT_EQ(client.Get("/etc/passwd")->status, 404);
  EXPECT_EQ(client.Post("/metrics", "x", "text/plain")->status, 404);
  for (const char* name :
       {"evil.example", "127.evil.example", "127.0.0.1.evil.example", "127.0.0.1:80:x", "[::1].evil", "2130706433", ""})
    EXPECT_EQ(client.Get("/metrics", {{"Host", name}})->status, 403) << "a page's own name for this machine: " << name;
  for (const char* name : {"localhost:80", "127.0.0.1", "127.1.2.3:9747", "[::1]:80"})
    EXPECT_EQ(client.Get("/metrics", {{"Host", name}})->status, 200) << name;
  std::string ranges = "bytes=0-";
  while (ranges.size() < 7'000) ranges += ",0-";
  const auto whole = client.Get("/metrics", {{"Range", ranges}});
  ASSERT_TRUE(whole);
  EXPECT_EQ(whole->status, 200);
  EXPECT_EQ(whole->body, plain->body) << "once, however many ranges are asked for";

  MetricsServer guarded({.port = 0, .token = "a token of some length"});
  guarded.publish(one_reading(), {});
  httplib::Client stranger("127.0.0.1", guarded.port());
  EXPECT_EQ(stranger.Get("/metrics")->status, 401);
  for (const char* wrong : {"Bearer a token of some lengtH", "Bearer ", "a token of some length", "Basic YTpi"})
    EXPECT_EQ(stranger.Get("/metrics", {{"Authorization", wrong}})->status, 401) << wrong;
  EXPECT_EQ(stranger.Get("/metrics", {{"Authorization", "Bearer a token of some length"}, {"Host", "rig"}})->status,
            200);

  try {
    MetricsServer again({.port = server.port()});
    FAIL();
  } catch (const Error& error) {
    EXPECT_NE(std::string(error.what()).find("cannot listen there"), std::string::npos) << error.what();
  }
}

TEST(MetricsServer, SpeaksTls) {
  const testing::Folder folder;
  const std::string make = fmt::format(
      "cd '{}' && openssl req -x509 -newkey rsa:2048 -nodes -keyout key.pem -out rig.pem -days 2 -subj /CN=localhost "
      "-addext subjectAltName=DNS:localhost 2>/dev/null",
      folder.path().string());
  ASSERT_EQ(std::system(make.c_str()), 0);
  MetricsServer server({.port = 0, .certificate = folder / "rig.pem", .key = folder / "key.pem"});
  server.publish(one_reading(), {});
  httplib::SSLClient client("localhost", server.port());
  client.set_ca_cert_path((folder / "rig.pem").c_str());
  const auto answer = client.Get("/metrics");
  ASSERT_TRUE(answer) << to_string(answer.error());
  EXPECT_EQ(answer->status, 200);
  EXPECT_FALSE(httplib::Client("localhost", server.port()).Get("/metrics")) << "not without";
  EXPECT_TRUE(client.Get("/metrics"));
  folder.file("text.pem", "no key");
  EXPECT_THROW(MetricsServer({.port = 0, .certificate = folder / "text.pem", .key = folder / "key.pem"}), Error);
  EXPECT_THROW(MetricsServer({.port = 0, .certificate = folder / "rig.pem"}), Error);
}

int connect_to(int port) {
  const int socket = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
  sockaddr_in to{};
  to.sin_family = AF_INET;
  to.sin_port = htons(static_cast<std::uint16_t>(port));
  to.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  EXPECT_EQ(::connect(socket, reinterpret_cast<const sockaddr*>(&to), sizeof to), 0);
  return socket;
}

/// Some say nothing, some a byte now and then, some nonsense, some ask and don't read.
TEST(MetricsServer, IsNotHeldUpByItsClients) {
  MetricsServer server({.port = 0});
  server.publish(one_reading(), {});
  constexpr int kClients = 1'000;
  rlimit files{};
  ::getrlimit(RLIMIT_NOFILE, &files);
  files.rlim_cur = std::min<rlim_t>(files.rlim_max, 4 * kClients);
  ASSERT_EQ(::setrlimit(RLIMIT_NOFILE, &files), 0);
  std::vector<int> sockets;
  for (int i = 0; i < kClients; ++i) {
    sockets.push_back(connect_to(server.port()));
    constexpr const char* kSaid[] = {"", "GET /metr", "\xff\xfe\n\n\n\r\n\r\n",
                                     "GET /metrics HTTP/1.1\r\nHost: localhost\r\nX: "};
    const std::string_view said = kSaid[i % 4];
    (void)!::send(sockets.back(), said.data(), said.size(), MSG_NOSIGNAL);
  }
  std::atomic<bool> over = false;
  std::thread dribble([&] {
    while (!over) {
      for (const int socket : sockets) (void)!::send(socket, "a", 1, MSG_NOSIGNAL);
      std::this_thread::sleep_for(20ms);
    }
  });
  httplib::Client client("127.0.0.1", server.port());
  client.set_read_timeout(30s);
  for (int i = 0; i < 2; ++i) {
    server.publish(one_reading(), {});
    const auto answer = client.Get("/metrics");
    EXPECT_TRUE(answer && answer->status == 200) << to_string(answer.error());
  }
  over = true;
  dribble.join();
  for (const int socket : sockets) ::close(socket);
}

/// `idlemeter serve` on a port that was free.
class Serving {
 public:
  explicit Serving(const std::string& rig) {
    int ends[2];
    EXPECT_EQ(::pipe(ends), 0);
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, ends[1], 1);
    posix_spawn_file_actions_addclose(&actions, ends[0]);
    std::array<std::string, 6> words = {IDLEMETER_COMMAND, "serve", "--port", "0", "--rig", rig};
    std::vector<char*> pointers;
    for (std::string& word : words) pointers.push_back(word.data());
    pointers.push_back(nullptr);
    EXPECT_EQ(::posix_spawn(&pid_, IDLEMETER_COMMAND, &actions, nullptr, pointers.data(), environ), 0);
    posix_spawn_file_actions_destroy(&actions);
    ::close(ends[1]);
    char line[256] = {};
    for (std::size_t got = 0; got + 1 < sizeof line && ::read(ends[0], line + got, 1) == 1 && line[got] != '\n';) ++got;
    ::close(ends[0]);
    const char* found = std::strstr(line, "127.0.0.1:");
    port_ = found == nullptr ? 0 : std::atoi(found + 10);
    EXPECT_GT(port_, 0) << line;
  }
  Serving(const Serving&) = delete;
  Serving& operator=(const Serving&) = delete;
  ~Serving() {
    ::kill(pid_, SIGTERM);
    int status = 0;
    ::waitpid(pid_, &status, 0);
    EXPECT_TRUE(WIFEXITED(status) && WEXITSTATUS(status) == 0) << status;
  }

  [[nodiscard]] int port() const { return port_; }

 private:
  pid_t pid_ = 0;
  int port_ = 0;
};

std::string replaced(std::string text, const std::string& old, const std::string& with) {
  const std::size_t at = text.find(old);
  EXPECT_NE(at, std::string::npos) << old;
  return at == std::string::npos ? text : text.replace(at, old.size(), with);
}

/// With the files of docs/fleet: they are right, three rigs are scraped, what one can see and its rule fires.
TEST(Fleet, IsWatchedByPrometheus) {
  const testing::Folder folder;
  const Serving bramble("desktop"), heron("proprietary"), nettle("hot");
  const std::string docs = IDLEMETER_DOCS "/fleet/";
  const std::string targets =
      fmt::format("[127.0.0.1:{}, 127.0.0.1:{}, 127.0.0.1:{}]", bramble.port(), heron.port(), nettle.port());
  std::string config =
      replaced(testing::text_of(docs + "prometheus.yml"), "[bramble:9747, sedge:9747, nettle:9747]", targets);
  for (int i = 0; i < 2; ++i) config = replaced(config, "interval: 5s", "interval: 1s");
  folder.file("prometheus.yml", config);
  folder.file("rules.yml", replaced(testing::text_of(docs + "rules.yml"), "for: 30s", "for: 2s"));
  folder.file("consoles/rigs.html", testing::text_of(docs + "rigs.html"));

  httplib::Client rig("127.0.0.1", nettle.port());
  folder.file("metrics.txt", rig.Get("/metrics")->body);
  const std::string check =
      fmt::format("cd '{}' && promtool check metrics <metrics.txt && promtool check config prometheus.yml >checked",
                  folder.path().string());
  EXPECT_EQ(std::system(check.c_str()), 0);

  const int port = MetricsServer({.port = 0}).port();  // free, for the moment
  const std::string where = folder.path().string();
  const std::string listen = fmt::format("--web.listen-address=127.0.0.1:{}", port),
                    from = "--config.file=" + where + "/prometheus.yml", to = "--storage.tsdb.path=" + where + "/data",
                    pages = "--web.console.templates=" + where + "/consoles",
                    parts = "--web.console.libraries=" + where + "/consoles";
  const char* words[] = {"prometheus",  from.c_str(),  to.c_str(),          listen.c_str(),
                         pages.c_str(), parts.c_str(), "--log.level=error", nullptr};
  pid_t pid = 0;
  ASSERT_EQ(::posix_spawnp(&pid, "prometheus", nullptr, nullptr, const_cast<char**>(words), environ), 0);
  httplib::Client prometheus("127.0.0.1", port);
  const auto asked = [&](const std::string& what) {
    const auto answer = prometheus.Get("/api/v1/query?query=" + httplib::detail::encode_query_param(what));
    const auto json = answer ? nlohmann::json::parse(answer->body, nullptr, false) : nlohmann::json();
    return json.is_object() && json.contains("data") ? json["data"]["result"] : nlohmann::json::array();
  };
  const auto eventually = [](const auto& holds) {
    for (int i = 0; i < 600; ++i) {
      if (holds()) return true;
      std::this_thread::sleep_for(100ms);
    }
    return false;
  };
  EXPECT_TRUE(eventually([&] { return asked("up == 1").size() == 3; }));
  EXPECT_TRUE(eventually([&] {
    const auto firing = asked(fmt::format(
        "ALERTS{{alertname=\"RigThrottles\",alertstate=\"firing\",instance=\"127.0.0.1:{}\"}}", nettle.port()));
    return firing.size() == 1;
  })) << "the rig whose fans stand still";
  EXPECT_TRUE(eventually([&] { return asked("game:frame_rate:average > 20 < 400").size() == 1; }))
      << "of all rigs together";
  EXPECT_TRUE(eventually([&] { return asked("game:frame_time_seconds:p99 > 0.005 < 0.1").size() == 1; }));
  const auto page = prometheus.Get("/consoles/rigs.html");
  ASSERT_TRUE(page);
  EXPECT_NE(page->body.find("Corvid 12, Siltstone 40"), std::string::npos) << page->body.substr(0, 500);
  ::kill(pid, SIGTERM);
  ::waitpid(pid, nullptr, 0);
}

TEST(ServeCommand, SaysWhatIsWrong) {
  const testing::Folder folder;
  std::filesystem::permissions(folder.file("short", "abc\n"), std::filesystem::perms::owner_read);
  folder.file("long", "0123456789abcdef\n");
  const Step steps[] = {
      {"serve --address 0.0.0.0", 2, {"others could read at 0.0.0.0: give it --token-file"}},
      {"serve --address 0.0.0.0 --token-file long", 2, {"--certificate and --key, or say --unprotected"}},
      {"serve --key x.pem", 2, {"TLS needs both --certificate and --key"}},
      {"serve --every 1ms", 2, {"isn't a time"}},
      {"serve --rig --token-file short", 1, {"short: a token has at least 16 characters", "openssl rand -hex 32"}},
      {"serve --rig --token-file none", 1, {"none: cannot read the token (No such file or directory)"}},
      {"serve --rig --certificate short --key long", 1, {"short: it can't be used for TLS"}},
      {"serve --rig --address 203.0.113.9 --unprotected",
       1,
       {"203.0.113.9:9747: cannot listen there (Cannot assign requested address)"}},
      {"serve --rig --port 70000", 1, {"there is no port 70000"}}};
  testing::expect_steps(folder, steps);
}

}  // namespace
}  // namespace idlemeter
