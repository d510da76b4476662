// The desk without a browser: who gets in, what it answers, that nothing is lost between two who change one face.
#include "idlemeter/desk/desk.hpp"

#include <gtest/gtest.h>
#include <httplib.h>
#include <netinet/in.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <nlohmann/json.hpp>
#include <regex>
#include <thread>

#include "a_desk.hpp"
#include "command.hpp"
#include "desk/demo_game.hpp"
#include "folder.hpp"
#include "idlemeter/face/face_editor.hpp"
#include "idlemeter/face/face_text.hpp"
#include "idlemeter/settings/settings.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using testing::DeskTest;
using testing::Folder;
using testing::Json;
using testing::kFace;

TEST_F(DeskTest, LetsInWhoHasAnAddressOnce) {
  const std::string address = path_of(desk.address());
  EXPECT_EQ(client.Get(address)->status, 303);
  EXPECT_EQ(client.Get(address)->status, 403) << "used";
  EXPECT_EQ(client.Get("/?code=")->status, 403);
  EXPECT_EQ(client.Get("/?code=" + std::string(64, '0'))->status, 403);
  for (const char* path :
       {"/", "/desk.js", "/api/faces", "/api/live", "/api/face/picture?number=1", "/../../etc/passwd"}) {
    const auto answer = client.Get(path);
    EXPECT_EQ(answer->status, 401) << path;
    EXPECT_EQ(answer->get_header_value("Set-Cookie"), "");
  }
  const std::string name = cookie.substr(0, cookie.find('=')), port = std::to_string(desk.port());
  EXPECT_EQ(name, "idlemeter-desk-" + port) << "two desks in one browser keep theirs apart";
  for (const std::string& other : {name + "=", name + "=0", "a=b; " + name, std::string(";;;=;"), name + "0" + cookie})
    EXPECT_EQ(client.Get("/api/faces", {{"Cookie", other}})->status, 401) << other;
  EXPECT_EQ(client.Get("/api/faces", {{"Cookie", "theme=dark; " + cookie + "; x=y"}})->status, 200);
  httplib::Client elsewhere("127.0.0.1", desk.port());
  for (const char* path : {"/", "/api/faces", "/live"})
    EXPECT_GE(elsewhere.Get(path, {{"Cookie", cookie}})->status, 400) << path << " isn't below the desk's own path";
}

TEST_F(DeskTest, BindsItsCookieToItsOwnPath) {
  const auto answer = client.Get(path_of(desk.address()));
  EXPECT_TRUE(std::regex_match(client.root(), std::regex("/[0-9a-f]{32}"))) << client.root();
  EXPECT_NE(answer->get_header_value("Set-Cookie").find("; Path=" + client.root() + "/;"), std::string::npos);
  EXPECT_EQ(answer->get_header_value("Location"), client.root() + "/");
  // From the page that a browser is opened with: a redirect would be answered without the cookie.
  const auto led = client.Get(path_of(desk.address()), {{"Sec-Fetch-Site", "cross-site"}});
  EXPECT_EQ(led->status, 200);
  EXPECT_NE(led->body.find("http-equiv=\"refresh\""), std::string::npos);
  EXPECT_NE(led->get_header_value("Set-Cookie"), "");
}

/// Runs a request as another user, who somehow has the cookie.
TEST_F(DeskTest, AnswersNoOtherUser) {
  if (::geteuid() != 0) GTEST_SKIP() << "only root can be somebody else";
  constexpr uid_t kNobody = 65'534;
  const pid_t child = ::fork();
  if (child == 0) {
    if (::setuid(kNobody) != 0) ::_exit(2);
    httplib::Client other("127.0.0.1", desk.port());
    const auto answer = other.Get(client.root() + "/api/faces", {{"Cookie", cookie}});
    ::_exit(answer && answer->status == 403 ? 0 : 1);
  }
  int status = -1;
  ::waitpid(child, &status, 0);
  EXPECT_EQ(status, 0);
  EXPECT_EQ(client.Get("/api/faces", {{"Cookie", cookie}})->status, 200);
}

TEST_F(DeskTest, AnswersNoOtherPage) {
  const std::string own = "http://" + host();
  const struct {
    const char* name;
    std::string value;
    int get, post;
  } cases[] = {{"Host", "rebound.example:" + std::to_string(desk.port()), 403, 403},
               {"Host", "127.0.0.1", 403, 403},
               {"Origin", "http://evil.example", 403, 403},
               {"Origin", "null", 403, 403},
               {"Origin", "http://127.0.0.1:1", 403, 403},
               {"Sec-Fetch-Site", "cross-site", 403, 403},
               {"Sec-Fetch-Site", "same-site", 403, 403},
               {"Sec-Fetch-Site", "none", 200, 403},
               {"Sec-Fetch-Site", "same-origin", 200, 200},
               {"Origin", own, 200, 200}};
  for (const auto& c : cases) {
    httplib::Headers headers = {{"Cookie", cookie}, {c.name, c.value}};
    EXPECT_EQ(client.Get("/api/faces", headers)->status, c.get) << c.name << ": " << c.value;
    if (c.name != std::string("Origin")) headers.emplace("Origin", own);
    EXPECT_EQ(client.Post("/api/face/undo", headers, "{\"name\":\"x\"}", "application/json")->status,
              c.post == 200 ? 404 : c.post)
        << c.name << ": " << c.value;
  }
  EXPECT_EQ(client.Post("/api/face/undo", {{"Cookie", cookie}}, "{}", "application/json")->status, 403)
      << "says no origin";
  for (const char* path :
       {"/api/live", "/api/faces"}) {  // a web socket isn't bound to its page's origin by the browser
    const auto answer = client.Get(path, {{"Cookie", cookie},
                                          {"Origin", "http://evil.example"},
                                          {"Connection", "Upgrade"},
                                          {"Upgrade", "websocket"},
                                          {"Sec-WebSocket-Key", "dGhlIHNhbXBsZSBub25jZQ=="},
                                          {"Sec-WebSocket-Version", "13"}});
    EXPECT_EQ(answer->status, 403) << path;
  }
  EXPECT_EQ(client.Post("/api/face/undo", {{"Cookie", cookie}, {"Origin", own}}, "name=mine", "text/plain")->status,
            400);
  EXPECT_EQ(
      client
          .Post("/api/face/undo", {{"Cookie", cookie}, {"Origin", own}}, std::string(70'000, ' '), "application/json")
          ->status,
      413);
}

TEST_F(DeskTest, SaysThatNothingElseMayBeLoadedOrRead) {
  for (const char* path : {"/", "/desk.js", "/api/faces", "/nothing"}) {
    const auto answer = client.Get(path, {{"Cookie", cookie}});
    const std::string policy = answer->get_header_value("Content-Security-Policy");
    EXPECT_NE(policy.find("default-src 'none'; script-src 'self'; style-src 'self'"), std::string::npos) << path;
    EXPECT_EQ(answer->get_header_value_count("Content-Security-Policy"), 1u);
    EXPECT_EQ(answer->get_header_value("Cross-Origin-Resource-Policy"), "same-origin");
    EXPECT_EQ(answer->get_header_value("X-Content-Type-Options"), "nosniff");
  }
  EXPECT_NE(client.Get("/", {{"Cookie", cookie}})->body, client.Get("/", {{"Cookie", cookie}})->body)
      << "another nonce";
}

TEST_F(DeskTest, ChangesAFaceAndKeepsItsComments) {
  const Json face = get("/api/face?name=mine");
  EXPECT_EQ(face["parts"]["rows"][0]["cells"][0]["title"], "Processor load");
  const Json after = edit(face["version"], {{{"do", "add"}, {"reading", "gpu.hotspot"}, {"row", "CPU"}},
                                            {{"do", "set"}, {"part", "row:1/2"}, {"key", "caution"}, {"value", "85"}}});
  EXPECT_EQ(text(),
            "# mine\n[[row]]\nlabel = \"CPU\"\ncells = [ { reading = \"cpu.load\" }, { reading = \"gpu.hotspot\", "
            "caution = 85 } ]\n");
  EXPECT_EQ(after["keys"]["row"][0]["cells"][1]["caution"], 85);
  const Json refused =
      edit(after["version"], {{{"do", "remove"}, {"part", "row:1/2"}}, {{"do", "remove"}, {"part", "row:7"}}}, 404);
  EXPECT_EQ(refused["error"]["code"], "not found");
  EXPECT_NE(text().find("gpu.hotspot"), std::string::npos) << "all of the changes or none";
  post("/api/face/undo", {{"name", "mine"}});
  EXPECT_EQ(text(), kFace);
  EXPECT_EQ(post("/api/face/redo", {{"name", "mine"}})["version"], after["version"]);
}

TEST_F(DeskTest, LosesNoChangeThatSomebodyElseMade) {
  const std::string version = get("/api/face?name=mine")["version"];
  const FaceEditor editor(folder / "faces/mine.toml");  // as another desk, an editor or a command
  (void)editor.edit([](FaceText& face) { face.set("face", "text.size", "30"); });
  const Json refused = edit(version, {{{"do", "set"}, {"part", "face"}, {"key", "text.size"}, {"value", "20"}}}, 409);
  EXPECT_EQ(refused["error"]["code"], "moved");
  EXPECT_NE(text().find("size = 30"), std::string::npos);
  edit(get("/api/face?name=mine")["version"],
       {{{"do", "set"}, {"part", "row:1"}, {"key", "label"}, {"value", "Corvid"}}});
  EXPECT_NE(text().find("size = 30"), std::string::npos);
  EXPECT_NE(text().find("\"Corvid\""), std::string::npos);
}

TEST_F(DeskTest, DrawsAFaceAndSaysWhereItsPartsAre) {
  const Json scene = get("/api/face/scene?name=mine&width=1280&height=720");
  std::vector<std::string> parts;
  for (const Json& one : scene["areas"]) parts.push_back(one["part"]);
  EXPECT_EQ(parts, (std::vector<std::string>{"face", "row:1", "row:1/1"}));
  const auto picture =
      client.Get("/api/face/picture?number=" + scene["picture"]["number"].dump(), {{"Cookie", cookie}});
  EXPECT_EQ(picture->body.substr(1, 3), "PNG");
  get("/api/face/picture?number=999", 404);
  for (const char* size : {"width=1280", "width=1&height=720", "width=1280&height=99999", "width=1280&height=x"})
    get(std::string("/api/face/scene?name=mine&") + size, 400);
  get("/api/ground?name=elsewhere&width=640&height=360", 404);

  const Json first = get("/api/first-view?face=&width=1280&height=720");
  EXPECT_EQ(first.at("faces").at("usual"), "mine");
  EXPECT_EQ(first.at("face").at("name"), "mine");
  EXPECT_EQ(first.at("scene").at("version"), scene.at("version"));
  const auto page = [&](const char* path) { return client.Get(path, {{"Cookie", cookie}})->body; };
  EXPECT_NE(page("/face").find("./api/face/picture?number="), std::string::npos);
  for (const char* other : {"/face?face=none", "/face?face=mine&size=640x360", "/live"})
    EXPECT_EQ(page(other).find("./api/face/picture?number="), std::string::npos) << other;
}

TEST_F(DeskTest, KeepsToTheFolderOfFaces) {
  folder.file("secret.toml", kFace);
  for (const std::string& name : {std::string("../secret"), std::string("../secret.toml"), std::string("/etc/passwd"),
                                  (folder / "secret.toml").string(), std::string()}) {
    const auto answer = client.Get("/api/face?name=" + httplib::detail::encode_query_param(name), {{"Cookie", cookie}});
    EXPECT_EQ(answer->status, 404) << name;
    post("/api/face/make", {{"from", "benchmark"}, {"name", name}}, 400);
    post("/api/face/make", {{"from", name}, {"name", "other"}}, 404);
  }
  post("/api/face/make", {{"from", "benchmark"}, {"name", "mine"}}, 409);
  post("/api/face/edit", {{"name", "benchmark"}, {"version", ""}, {"changes", Json::array()}}, 409);
}

TEST_F(DeskTest, PacksUnpacksAndChoosesFaces) {
  const auto bundle = client.Get("/api/face/pack?name=mine", {{"Cookie", cookie}});
  const httplib::Headers headers = {{"Cookie", cookie}, {"Origin", "http://" + host()}};
  EXPECT_EQ(client.Post("/api/face/unpack?name=theirs", headers, bundle->body, "application/zip")->status, 200);
  EXPECT_EQ(testing::text_of(folder / "faces/theirs/face.toml"), kFace);
  const auto hostile = client.Post("/api/face/unpack?name=evil", headers, "PK not a bundle", "application/zip");
  EXPECT_GE(hostile->status, 400);
  EXPECT_FALSE(std::filesystem::exists(folder / "faces/evil"));
  post("/api/face/choose", {{"name", "mine"}, {"program", "tidepool*"}});
  EXPECT_EQ(load_settings(folder / "settings.toml").games.at(0).face, "mine");
}

TEST_F(DeskTest, FindsReadingsByWords) {
  const Json hot = get("/api/readings?words=hot")["readings"];
  ASSERT_EQ(hot.size(), 1u);
  EXPECT_EQ(hot[0]["words"], "93 °C");
  EXPECT_EQ(get("/api/readings")["readings"].size(), 2u);
}

TEST_F(DeskTest, ReadsAPlanAsItIsTyped) {
  EXPECT_EQ(get("/api/plan?for=60s&repeat=2&pause=5")["words"],
            "2 runs of 1:00, the last one ending 2:05 after the start");
  EXPECT_EQ(get("/api/plan?for=soon", 400)["error"]["fix"], "write it like 60, 90s or 1:30");
  EXPECT_EQ(post("/api/record", {{"meter", 1}, {"plan", {{"for", "1s"}, {"settings", {"x=y"}}}}}, 404)["error"]["code"],
            "not found");
  for (const char* plan :
       {R"({"for": 1})", R"({"tags": [1]})", R"({"settings": "x"})", R"({"repeat": "0"})", "[]", "7"})
    post("/api/record", {{"meter", 1}, {"plan", Json::parse(plan)}}, 400);
}

TEST(ADemoGame, IsStartedOnceAndSaysWhyItFailed) {
  desk::DemoGame none({});
  EXPECT_EQ(none.state(), (desk::Json{{"there", false}, {"runs", false}, {"problem", ""}}));
  EXPECT_THROW(none.start(), Error);
  const Folder folder;
  const std::string go = folder / "go";
  desk::DemoGame game({"sh", "-c", "while [ ! -e '" + go + "' ]; do sleep 0.01; done; echo 'no display' >&2; exit 1"});
  game.start();
  EXPECT_TRUE(game.state()["runs"]);
  EXPECT_THROW(game.start(), Error) << "it runs already";
  folder.file("go", "");
  while (game.state()["runs"]) std::this_thread::sleep_for(std::chrono::milliseconds(5));
  EXPECT_EQ(game.state()["problem"], "no display");
  game.start();
  while (game.state()["runs"]) std::this_thread::sleep_for(std::chrono::milliseconds(5));
}

TEST_F(DeskTest, LivesThroughAThousandConnections) {
  rlimit limit{};
  ::getrlimit(RLIMIT_NOFILE, &limit);
  limit.rlim_cur = limit.rlim_max;
  ::setrlimit(RLIMIT_NOFILE, &limit);
  std::vector<int> sockets;
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_port = htons(static_cast<std::uint16_t>(desk.port()));
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  for (int i = 0; i < 1'000; ++i) {
    sockets.push_back(::socket(AF_INET, SOCK_STREAM | SOCK_NONBLOCK, 0));
    (void)::connect(sockets.back(), reinterpret_cast<const sockaddr*>(&address), sizeof address);
    const std::string part = (i % 2 == 0) ? "POST " + client.root() + "/api/face/undo HTT"
                                          : "POST " + client.root() + "/api/face/undo HTTP/1.1\r\nHost: " + host() +
                                                "\r\nOrigin: http://" + host() + "\r\nCookie: " + cookie +
                                                "\r\nContent-Type: application/json\r\nContent-Length: 99\r\n\r\n{";
    (void)::send(sockets.back(), part.data(), part.size(), MSG_NOSIGNAL);  // and never the rest
  }
  client.set_read_timeout(60);
  EXPECT_EQ(get("/api/faces")["faces"][0]["name"], "mine");
  for (const int socket : sockets) ::close(socket);
}

TEST_F(DeskTest, StreamsWhoRunsUntilItEnds) {
  std::string text;
  const auto answer = client.Get("/api/live", {{"Cookie", cookie}}, [&](const char* data, std::size_t size) {
    text.append(data, size);
    return text.find("\n\n") == std::string::npos;  // the first event is enough
  });
  EXPECT_EQ(text.rfind("data: {\"meters\":[", 0), 0u) << text;
  EXPECT_LE(monotonic_now() - desk.last_used(), 5 * kSecond);
  post("/api/meter", {{"meter", 1}, {"command", {{"do", "toggle"}}}}, 404);
  post("/api/meter", {{"meter", 1}, {"command", {{"do", "format the disk"}}}}, 400);
}

TEST(ADeskBell, OpensTheFirstDeskForASecondOne) {
  const Folder folder;
  ::setenv("XDG_RUNTIME_DIR", folder.path().c_str(), 1);
  EXPECT_EQ(running_desk(), "");
  Desk desk({.settings = folder / "settings.toml",
             .faces = folder / "faces",
             .store = folder / "runs.db",
             .state = folder / "state",
             .values = std::make_unique<testing::TwoReadings>(),
             .draw_ground = {}});
  DeskBell bell(desk);
  std::atomic<bool> done = false;
  std::string address;
  std::thread second([&] {
    address = running_desk();
    done = true;
  });
  while (!done) bell.serve(kSecond / 100);
  second.join();
  std::thread other([&] {
    EXPECT_THROW((void)running_desk(folder / "other.db"), Error) << "its runs aren't those that are asked for";
    done = false;
  });
  while (done) bell.serve(kSecond / 100);
  other.join();
  EXPECT_TRUE(std::regex_match(address, std::regex("http://127\\.0\\.0\\.1:\\d+/[0-9a-f]{32}/\\?code=[0-9a-f]{64}")))
      << address;
}

TEST(ADeskCommand, SaysWhereItIsAndEndsWhenNobodyUsesIt) {
  const Folder folder;
  ::setenv("XDG_RUNTIME_DIR", folder.path().c_str(), 1);
  const testing::Step steps[] = {{"desk --no-browser --rig --for 300ms", 0, {"http://127.0.0.1:", "/?code="}},
                                 {"desk --no-browser --rig --port 99999", 1, {"there is no port 99999"}}};
  testing::expect_steps(folder, steps);
}

}  // namespace
}  // namespace idlemeter
