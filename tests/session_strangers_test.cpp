// What strangers do to a meter's sockets: nonsense, silence, crowds and lies.
#include "a_session.hpp"
#include "idlemeter/base/error.hpp"

namespace idlemeter {
namespace {

using namespace testing;

/// Sends everything at once; returns the answer up to so many lines, or until the other end closes.
std::string exchange(const std::filesystem::path& socket, const std::string& text, int lines) {
  const int client = connect_to(socket.c_str());
  (void)!::send(client, text.data(), text.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
  std::string answer;
  for (const auto end = monotonic_now() + 5 * kSecond;
       monotonic_now() < end && std::count(answer.begin(), answer.end(), '\n') < lines;) {
    char buffer[512];
    const ssize_t got = ::recv(client, buffer, sizeof buffer, MSG_DONTWAIT);
    if (got == 0 || (got < 0 && errno == ECONNRESET)) break;
    if (got > 0) answer.append(buffer, static_cast<std::size_t>(got));
    if (got < 0) ::usleep(1'000);
  }
  ::close(client);
  return answer;
}

TEST_F(Session, AnswersNonsenseWithWhatIsWrong) {
  const std::pair<const char*, const char*> cases[] = {
      {"", "not a command"},
      {"nonsense", "not a command"},
      {"[]", "not a command"},
      {"{}", "not a command"},
      {R"({"do": 5})", "not a command"},
      {R"({"do": "dance"})", "unknown command 'dance'; name one that a meter takes"},
      {R"({"do": "mark"})", "nothing is being recorded"},
      {R"({"do": "face", "name": "none"})", "no such face"},
      {R"({"do": "face", "name": 5})", "type must be string"},
      {R"({"do": "record", "what": "stop"})", "nothing is being recorded"},
      {R"({"do": "record", "for": -1})", "from 0.1 s to a day"},
      {R"({"do": "record", "after": 1e9})", "up to a day"},
      {R"({"do": "note", "note": "late"})", "nothing is being recorded or planned"},
      {R"({"do": "record", "for": "long"})", "type must be number"},
  };
  for (const auto& [command, says] : cases) {
    const json answer = tell(command);
    EXPECT_NE(answer.value("error", "").find(says), std::string::npos) << command << ' ' << answer;
    EXPECT_FALSE(answer.contains("ok")) << command;
  }
  EXPECT_EQ(tell(R"({"do": "state"})")["games"], json::array()) << "and goes on";
}

TEST_F(Session, TakesCommandsInPiecesAndInCrowds) {
  const std::string two = exchange(control(), "{\"do\": \"hide\"}\n{\"do\": \"show\"}\n", 2);
  EXPECT_EQ(std::count(two.begin(), two.end(), '\n'), 2) << two;
  EXPECT_EQ(exchange(control(), std::string(1 << 20, 'x'), 1), "") << "a line without an end is cut off";
  std::vector<int> crowd;
  for (int i = 0; i < 200; ++i) crowd.push_back(connect_to(control().c_str()));
  for (int client : crowd) ::close(client);
  for (int i = 0; i < 50; ++i) {  // gone before it is answered
    const int client = connect_to(control().c_str());
    (void)!::send(client, "{\"do\": \"state\"}\n", 16, MSG_NOSIGNAL);
    ::close(client);
  }
  EXPECT_EQ(tell(R"({"do": "state"})")["ok"], true);
  const auto meters = running_meters(folder_ / "session");
  ASSERT_EQ(meters.size(), 1u);
  EXPECT_EQ(meters[0].pid, ::getpid());
  EXPECT_TRUE(running_meters(folder_ / "nowhere").empty());
  EXPECT_THROW((void)tell_meter(folder_ / "nowhere.control", "{}"), Error);
}

TEST_F(Session, SilentPeersAndClientsKeepNobodyOut) {
  std::vector<int> silent;
  for (int i = 0; i < 100; ++i) silent.push_back(connect_to(meter_->link_socket().c_str()));
  for (int i = 0; i < 40; ++i) {
    silent.push_back(connect_to(control().c_str()));
    ::usleep(1'000);
  }
  EXPECT_EQ(tell(R"({"do": "state"})")["games"], json::array()) << "a silent peer isn't a game";
  EXPECT_FALSE(meter_->has_games());
  link::ProbeEnd probe;
  EXPECT_EQ(play_until(probe, has_frames)["games"].size(), 1u);
  for (int peer : silent) ::close(peer);
}

/// A peer that greets like a probe, and then writes anything.
class Liar {
 public:
  explicit Liar(const std::filesystem::path& socket) : socket_(connect_to(socket.c_str())) {
    int fd = -1;
    memory_ = link::make_region("ring", sizeof(link::Ring), fd);
    new (memory_.data) link::Ring;
    EXPECT_TRUE(link::send_greeting(socket_, link::kRingMagic, fd));
    ::close(fd);
  }
  Liar(const Liar&) = delete;
  Liar& operator=(const Liar&) = delete;
  ~Liar() {
    ::close(socket_);
    link::unmap(memory_);
  }

  void present(Moment at, std::uint32_t width = 640) {
    auto* ring = static_cast<link::Ring*>(memory_.data);
    const std::uint32_t written = ring->written.load();
    link::FrameEntry& entry = ring->entries[written % link::kRingCapacity];
    entry.present = at;
    entry.gpu_work = at.time_since_epoch();
    entry.width = entry.height = width;
    ring->written.store(written + 1);
  }

 private:
  int socket_;
  link::Mapping memory_;
};

TEST_F(Session, GamesThatGreetAndNeverPresentMakeRoom) {
  std::list<Liar> idle;
  for (std::size_t i = 0; i < limits::kGames; ++i) {
    idle.emplace_back(meter_->link_socket());
    while (tell(R"({"do": "state"})")["games"].size() != idle.size()) ::usleep(1'000);
  }
  EXPECT_FALSE(meter_->has_games());
  link::ProbeEnd probe;
  const auto is_here = [](const json& state) {
    for (const json& game : state["games"]) {
      if (game.value("frames", 0) > 20) return true;
    }
    return false;
  };
  play_until(probe, is_here);
}

TEST_F(Session, ImpossibleTimesAreCounted) {
  constexpr Moment kMost = Moment::max(), kLeast = Moment::min();
  Liar liar(meter_->link_socket());
  const Moment start = monotonic_now();
  for (Moment at : {kMost, kLeast, Moment{}, start + 3600 * kSecond, start, start + kMillisecond, start - 9 * kSecond})
    liar.present(at, 5'000'000);
  json state;
  do state = tell(R"({"do": "state"})");
  while (state["games"].empty() || state["games"][0].value("frames", 0) < 7);
  EXPECT_EQ(state["games"][0]["refused"], 5) << state;
  EXPECT_EQ(state["games"][0]["picture"], "") << "nor is a picture so large";
}

TEST_F(Session, AnotherMeterCannotTakeItsSockets) {
  MeterOptions same;
  same.folder = folder_ / "session";
  EXPECT_THROW(Meter{same}, Error);
  EXPECT_EQ(tell(R"({"do": "state"})")["ok"], true);
}

}  // namespace
}  // namespace idlemeter
