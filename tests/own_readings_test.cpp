// Formulas, spans, commands and the feed.
#include <gtest/gtest.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

#include <thread>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/sources/command_source.hpp"
#include "idlemeter/sources/feed.hpp"

namespace idlemeter {
namespace {

using namespace std::chrono_literals;

Snapshot snapshot_at(Moment time, std::vector<std::pair<std::string, Value>> values) {
  std::vector<ReadingInfo> infos;
  auto batch = std::make_shared<Batch>();
  for (auto& [id, value] : values) {
    infos.push_back({id});
    batch->values.push_back(value);
  }
  batch->list = std::make_shared<const ReadingList>(infos);
  return Snapshot(time, {batch});
}

std::string reason(const Snapshot& snapshot, const char* id) {
  const auto* missing = std::get_if<Missing>(snapshot.find(id).value);
  return missing == nullptr ? "" : missing->reason;
}

ComputedReading formula(const std::string& text) { return {.info = {.id = "own.x"}, .formula = text}; }

TEST(Formula, TakesIdsWithDotsAndArguments) {
  const Snapshot values = snapshot_at({}, {{"frame.rate", 120.0},
                                           {"gpu.power", 240.0},
                                           {"frame.low@0.1%", 60.0},
                                           {"feed.depth@shadow", 3.0},
                                           {"feed.depth@shadow@two", 5.0},
                                           {"frame.low@1%@10s", 70.0},
                                           {"frame.average@cleared", 90.0},
                                           {"frame.low@1%@percentile@cleared", 65.0},
                                           {"gpu1.core2.temp", 50.0},
                                           {"gpu.name", std::string("Marl G9")},
                                           {"gpu.fan", Missing{"asleep"}}});
  const struct {
    const char* formula;
    double value;
  } cases[] = {{"frame.rate / gpu.power", 0.5},
               {"frame.low@0.1%/frame.rate*100", 50},
               {"max(frame.rate, gpu.power) - 1e2", 140},
               {"feed.depth@shadow+1", 4},
               {"max(feed.depth@shadow,feed.depth@shadow@two)", 5},
               {"frame.low@1%@10s/frame.average@cleared*9", 7},
               {"min(frame.low@1%@percentile@cleared, 1e3)", 65},
               {"gpu1.core2.temp^2", 2500},
               {"gpu.power > 200 ? 1 : 0", 1},
               {"-gpu.power + 2.5", -237.5},
               {"7", 7},
               {"sqrt(frame.low@0.1% + 4)", 8}};
  for (const auto& c : cases) {
    ComputedReadings computed({formula(c.formula)});
    EXPECT_DOUBLE_EQ(number(*computed.add_to(values).find("own.x").value).value_or(-999), c.value) << c.formula;
  }
  const struct {
    const char* formula;
    const char* reason;
  } missing[] = {{"gpu.fan * 2", "gpu.fan is missing: asleep"},
                 {"gpu.name * 2", "gpu.name is a text"},
                 {"gpu.powr", "no reading 'gpu.powr' here; nearest: gpu.power"},
                 {"gpu.power / (frame.rate - 120)", "is undefined now"}};
  for (const auto& m : missing) {
    ComputedReadings computed({formula(m.formula)});
    EXPECT_NE(reason(computed.add_to(values), "own.x").find(m.reason), std::string::npos) << m.formula;
  }
}

TEST(Formula, ThatCannotBeReadIsRefusedWithItsName) {
  for (const char* text : {"gpu.power /", "(1", "nosuch(gpu.load)", "1 +* 2", "gpu.power gpu.load", "plainword"}) {
    try {
      ComputedReadings computed({formula(text)});
      ADD_FAILURE() << text;
    } catch (const Error& error) {
      EXPECT_EQ(std::string(error.what()).find("own.x: cannot read the formula '"), 0u) << error.what();
    }
  }
}

TEST(Computed, LaterReadingsMayUseEarlierOnes) {
  ComputedReadings computed(
      {{.info = {.id = "own.a"}, .formula = "gpu.load * 2"}, {.info = {.id = "own.b"}, .formula = "own.a + 1"}});
  EXPECT_EQ(number(*computed.add_to(snapshot_at({}, {{"gpu.load", 20.0}})).find("own.b").value), 41.0);
}

TEST(Computed, SpansSlide) {
  using Take = ComputedReading::Take;
  ComputedReadings computed({{.info = {.id = "mean"}, .of = "t.x", .take = Take::mean, .over = 2s},
                             {.info = {.id = "least"}, .of = "t.x", .take = Take::least, .over = 2s},
                             {.info = {.id = "most"}, .of = "t.x", .take = Take::most, .over = 2s}});
  Snapshot last;
  for (int second = 0; second < 5; ++second)
    last = computed.add_to(snapshot_at(Moment{second * kSecond}, {{"t.x", 10.0 * second}}));
  EXPECT_EQ(number(*last.find("mean").value), 30.0);
  EXPECT_EQ(number(*last.find("least").value), 20.0);
  EXPECT_EQ(number(*last.find("most").value), 40.0);
  last = computed.add_to(snapshot_at(Moment{20 * kSecond}, {{"t.x", Missing{"gone"}}}));
  EXPECT_EQ(reason(last, "mean"), "t.x is missing: gone");
}

Value run(std::vector<std::string> command, bool text = false, std::chrono::nanoseconds limit = 5s) {
  const auto source =
      command_source({.info = {.id = "own.c", .text = text}, .command = std::move(command), .limit = limit});
  std::vector<Value> values(source->discover().size());
  EXPECT_TRUE(source->sample({}, values));
  return values.at(0);
}

TEST(Command, ItsFirstLineIsANumberOrAText) {
  EXPECT_EQ(run({"printf", " 42.5 rpm\\nmore\\n"}), Value(42.5));
  EXPECT_EQ(run({"printf", "quality mode\\nmore"}, true), Value(std::string("quality mode")));
  EXPECT_EQ(run({"echo", "$HOME; echo 1"}, true), Value(std::string("$HOME; echo 1")));  // no shell
  EXPECT_EQ(run({"/bin/sh", "-c", "echo $((6*7))"}), Value(42.0));
}

TEST(Command, AFailureIsMissingWithItsReason) {
  const struct {
    std::vector<std::string> command;
    const char* reason;
  } cases[] = {{{"no-such-program-here"}, "cannot run no-such-program-here: No such file or directory"},
               {{"false"}, "false ended with status 1"},
               {{"echo", "warm"}, "echo printed no number: 'warm'"},
               {{"true"}, "true printed no number: ''"},
               {{}, "no command is given"},
               {{"/bin/sh", "-c", "kill -9 $$"}, "ended with status 137"}};
  for (const auto& c : cases) {
    const Value value = run(c.command);
    ASSERT_TRUE(std::holds_alternative<Missing>(value)) << c.reason;
    EXPECT_NE(std::get<Missing>(value).reason.find(c.reason), std::string::npos) << std::get<Missing>(value).reason;
  }
}

TEST(Command, ThatNeverEndsIsEndedWithItsChildren) {
  const testing::Folder folder;
  const std::string pid_file = (folder / "pid").string();
  const std::string in_group = "sleep 1000 & echo $! > " + pid_file + "; wait";
  const std::string left = "setsid sh -c 'echo $$ > " + pid_file + "; exec sleep 1000' & wait";
  const std::string left_twice = "(setsid sh -c 'echo $$ > " + pid_file + "; exec sleep 1000' &) ; sleep 1000";
  for (const std::string& script : {in_group, left, left_twice}) {
    const Value value = run({"/bin/sh", "-c", script}, false, 300ms);
    EXPECT_EQ(std::get<Missing>(value).reason, "/bin/sh took longer than 300 ms and was ended");
    const std::string child = testing::text_of(pid_file);
    ASSERT_FALSE(child.empty());
    const auto alive = [&] {
      const std::string stat = testing::text_of("/proc/" + std::to_string(std::stoi(child)) + "/stat");
      return !stat.empty() && stat.find(") Z") == std::string::npos;
    };
    while (alive()) std::this_thread::yield();  // it was asked to end; the test's time limit decides
  }
  const Value flood = run({"/bin/sh", "-c", "yes 7"}, false, 100ms);  // endless output, of which little is kept
  EXPECT_TRUE(std::holds_alternative<Missing>(flood));
}

/// A feed with a client.
class Feed {
 public:
  explicit Feed(std::chrono::nanoseconds age = 1h) : source_(feed_source({.socket = socket(), .age = age})) {}

  [[nodiscard]] std::filesystem::path socket() const { return folder_ / "run/feed.sock"; }

  /// A connected client, or -1.
  [[nodiscard]] int connect() const {
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    socket().native().copy(address.sun_path, sizeof address.sun_path - 1);
    const int client = ::socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    if (::connect(client, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0) return client;
    ::close(client);
    return -1;
  }

  /// Hands in the text through a connection of its own, then waits until all of it was taken or refused.
  void hand_in(const std::string& text) {
    const int client = connect();
    ssize_t sent = 1;
    for (std::size_t done = 0; done < text.size() && sent > 0;
         done += static_cast<std::size_t>(std::max<ssize_t>(sent, 0))) {
      sent = ::send(client, text.data() + done, text.size() - done, MSG_NOSIGNAL);
    }
    ::shutdown(client, SHUT_WR);
    char end;
    EXPECT_LE(::read(client, &end, 1), 0);  // the server closes when it has read everything
    ::close(client);
  }

  Snapshot sample(Nanoseconds later = {}) {
    Batch batch;
    const auto infos = source_->discover();
    batch.values.resize(infos.size());
    (void)source_->sample(monotonic_now() + later, batch.values);
    batch.list = std::make_shared<const ReadingList>(infos);
    return Snapshot({}, {std::make_shared<Batch>(std::move(batch))});
  }

  double value(const char* id) {
    const Snapshot values = sample();
    const auto entry = values.find(id);
    return entry.value == nullptr ? -999 : number(*entry.value).value_or(-998);
  }

 private:
  testing::Folder folder_;
  std::unique_ptr<Source> source_;
};

TEST(Feed, TakesNumbersLabelsTextsUnitsAndTitles) {
  Feed feed;
  feed.hand_in(
      "# HELP upscaler_ratio How much smaller the game draws\n# TYPE upscaler_ratio gauge\n# UNIT pump_temp "
      "celsius\nupscaler_ratio 0.67\n"
      "queue_depth{stage=\"shadow\",pass=\"two\"} 3 1772395200\npump_temp 31.5\nupscaler_info{preset=\"quality "
      "\\\"x\\\"\"} 1\n# EOF\n");
  const Snapshot values = feed.sample();
  EXPECT_EQ(number(*values.find("feed.upscaler_ratio").value), 0.67);
  EXPECT_EQ(values.find("feed.upscaler_ratio").info->title, "How much smaller the game draws");
  EXPECT_EQ(number(*values.find("feed.queue_depth@shadow@two").value), 3.0);
  EXPECT_EQ(values.find("feed.pump_temp").info->unit, Unit::celsius);
  EXPECT_EQ(*values.find("feed.upscaler").value, Value(std::string("quality \"x\"")));
  EXPECT_EQ(feed.value("feed.refused"), 0);
}

TEST(Feed, TheLastOfDuplicatesCountsAndOldValuesAreMissing) {
  Feed feed(2s);
  feed.hand_in("a_b 1\na_b 2\n");
  feed.hand_in("a_b 3\n");
  EXPECT_EQ(feed.value("feed.a_b"), 3);
  EXPECT_NE(reason(feed.sample(10 * kSecond), "feed.a_b").find("nothing was handed in for 10 s"), std::string::npos);
  feed.hand_in("a_b 4\n");
  EXPECT_EQ(feed.value("feed.a_b"), 4);
}

TEST(Feed, RefusesBadLinesAndGoesOn) {
  const struct {
    std::string text;
    int refused;
  } cases[] = {{std::string("\x01\x02\xff\n", 4), 1},
               {std::string("a\0b 1\n", 6), 1},
               {"unfinished 1", 1},
               {"no value\n", 1},
               {"x NaN\n", 1},
               {"x +Inf\n", 1},
               {"x{a=\"b 1\n", 1},
               {"x{a=b} 1\n", 1},
               {"9x 1\n", 1},
               {"x 1e999\n", 1},
               {"x 1abc\n", 1},
               {std::string(100'000, 'x') + "\n", 1},
               {"\n\n# a comment\n", 0}};
  for (const auto& c : cases) {
    Feed feed;
    feed.hand_in(c.text);
    EXPECT_EQ(feed.value("feed.refused"), c.refused) << c.text.substr(0, 40);
    feed.hand_in("fine 1\n");
    EXPECT_EQ(feed.value("feed.fine"), 1) << c.text.substr(0, 40);
  }
}

TEST(Feed, AFloodIsTakenUpToAThousandReadings) {
  Feed feed;
  std::string flood;
  for (int i = 0; i < 50'000; ++i) flood += "m" + std::to_string(i % 3'000) + " " + std::to_string(i) + "\n";
  feed.hand_in(flood);
  EXPECT_EQ(feed.sample().entries().size(), 1'001u);
  EXPECT_EQ(feed.value("feed.m7"), 48'007);
  std::vector<int> clients;
  for (int i = 0; i < 100; ++i) clients.push_back(feed.connect());  // more than it serves
  for (int client : clients) ::close(client);
  while (feed.value("feed.m7") != 5) feed.hand_in("m7 5\n");  // served again as soon as the others have gone
}

TEST(Feed, TheSocketIsTheUsersAlone) {
  Feed feed;
  struct stat status {};
  ASSERT_EQ(::stat(feed.socket().c_str(), &status), 0);
  EXPECT_EQ(status.st_mode & 0777, 0600u);
  ASSERT_EQ(::stat(feed.socket().parent_path().c_str(), &status), 0);
  EXPECT_EQ(status.st_mode & 0777, 0700u);
  EXPECT_THROW((void)feed_source({.socket = feed.socket()}), Error);  // in use
  EXPECT_GE(feed.connect(), 0);

  const testing::Folder open;
  std::filesystem::permissions(open.path(), std::filesystem::perms::all);
  EXPECT_THROW((void)feed_source({.socket = open / "feed.sock"}), Error);
  EXPECT_THROW((void)feed_source({.socket = open / (std::string(200, 'x') + "/feed.sock")}), Error);
}

TEST(Feed, ALeftoverSocketIsReplaced) {
  const testing::Folder folder;
  const auto socket = folder / "run/feed.sock";
  { const auto first = feed_source({.socket = socket}); }
  EXPECT_FALSE(std::filesystem::exists(socket));
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  socket.native().copy(address.sun_path, sizeof address.sun_path - 1);
  const int dead = ::socket(AF_UNIX, SOCK_STREAM, 0);
  ASSERT_EQ(::bind(dead, reinterpret_cast<const sockaddr*>(&address), sizeof address), 0);
  ::close(dead);
  EXPECT_NO_THROW((void)feed_source({.socket = socket}));
}

}  // namespace
}  // namespace idlemeter
