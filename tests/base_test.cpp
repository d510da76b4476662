// What every room stands on: durations, keys, and lines from other programs.
#include <gtest/gtest.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <filesystem>
#include <span>
#include <tuple>

#include "base/key_chord.hpp"
#include "base/line_server.hpp"
#include "base/local_socket.hpp"
#include "base/private_socket.hpp"
#include "folder.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"

namespace idlemeter::base {
namespace {

TEST(Duration, ReadsWhatPeopleWrite) {
  constexpr Nanoseconds kNone{-1};
  const struct {
    const char* text;
    const char* unit;
    Nanoseconds length;
  } cases[] = {
      {"500 ms", "", kSecond / 2},
      {"500ms", "", kSecond / 2},
      {"2 s", "", 2 * kSecond},
      {"0.25s", "", kSecond / 4},
      {"1 min", "", 60 * kSecond},
      {"1:30", "", 90 * kSecond},
      {"0:00.5", "", kSecond / 2},
      {"42", "s", 42 * kSecond},
      {"42", "", kNone},
      {"1:60", "", kNone},
      {"1:30 s", "", kNone},
      {"-1 s", "", kNone},
      {"1e3 s", "", kNone},
      {"nan s", "", kNone},
      {"", "s", kNone},
      {"2 h", "", kNone},
      {"s", "", kNone},
      {"1000001 s", "", kNone},
      {"2 s ", "", kNone},
      {"2 s", "min", 2 * kSecond},
  };
  for (const auto& c : cases) EXPECT_EQ(duration_from(c.text, c.unit).value_or(kNone), c.length) << c.text;
}

TEST(Duration, OfHoursAndDaysIsReadWhereTheyAreAwaited) {
  const struct {
    const char* text;
    std::optional<double> seconds;
  } cases[] = {{"8 h", 28'800}, {"2d", 172'800}, {"1.5h", 5'400}, {"90 min", 5'400}, {"30", 30},    {"1:30", 90},
               {"0 h", 0},      {"-1 h", {}},    {"h", {}},       {"1 w", {}},       {"1e6 d", {}}, {"8 H", {}}};
  for (const auto& one : cases) {
    const auto time = long_duration_from(one.text, "s");
    ASSERT_EQ(time.has_value(), one.seconds.has_value()) << one.text;
    EXPECT_EQ(time ? in_seconds(*time) : 0, one.seconds.value_or(0)) << one.text;
  }
  EXPECT_FALSE(duration_from("8 h", "s")) << "of what is watched, none lasts hours";
  EXPECT_FALSE(long_duration_from("30"));
}

TEST(Text, IsPrintableWhereverControlsStand) {
  const std::pair<std::string, std::string> cases[] = {{"", ""},
                                                       {"plain ~", "plain ~"},
                                                       {"a\x1b[2Jb", "a\uFFFD[2Jb"},
                                                       {"\x1b", "\uFFFD"},
                                                       {"a\nb\tc", "a\nb\uFFFDc"},
                                                       {"°C", "°C"},
                                                       {"a°\x7f°b", "a°\uFFFD°b"},
                                                       {"\xff\xfe!", "\uFFFD\uFFFD!"},
                                                       {"\u202Eabc", "\uFFFDabc"},
                                                       {std::string("\0x", 2), "\uFFFDx"},
                                                       {"\n\n", "\n\n"},
                                                       {"\u009b31m", "\uFFFD31m"},
                                                       {"cut \xc3", "cut \uFFFD"}};
  for (const auto& [text, shown] : cases) EXPECT_EQ(printable(text, "\n"), shown);
}

TEST(Text, IsSplitAtEverySeparator) {
  const std::pair<const char*, std::vector<std::string>> cases[] = {
      {"a,b", {"a", "b"}}, {"", {}}, {"a", {"a"}}, {",a", {"", "a"}}, {"a,,b", {"a", "", "b"}}, {"a, b,", {"a", " b"}},
  };
  for (const auto& [text, parts] : cases) EXPECT_EQ(split(text, ','), parts) << text;
}

TEST(Text, IsAFieldOfCsvThatNoSpreadsheetExecutes) {
  const std::pair<const char*, const char*> cases[] = {
      {"plain", "plain"},
      {"", ""},
      {"a, b", "\"a, b\""},
      {"say \"hi\"", "\"say \"\"hi\"\"\""},
      {"two\nlines", "\"two\nlines\""},
      {"=1+1", "'=1+1"},
      {"@sum(a)", "'@sum(a)"},
      {"+cmd, x", "\"'+cmd, x\""},
      {"-12.5", "-12.5"},
      {"-1e-3", "-1e-3"},
      {"-1-1", "'-1-1"},
      {"a\x1b[2J", "a\xef\xbf\xbd[2J"},
      {"über", "über"},
      {" =1+1", "' =1+1"},
      {"\n@x", "\"'\n@x\""},
      {"a;b", "\"a;b\""},
      {" -1", " -1"},
  };
  for (const auto& [text, field] : cases) EXPECT_EQ(csv_field(text), field) << text;
}

TEST(Text, JsonIsEscapedWhereATerminalWouldObey) {
  const std::pair<const char*, const char*> cases[] = {
      {"{\n  \"a\": \"über\"}", "{\n  \"a\": \"über\"}"},
      {"\x7f", "\\u007f"},
      {"\xc2\x9b", "\\u009b"},
      {"\xe2\x80\xae|\xe2\x80\xa8", "\\u202e|\\u2028"},
      {"\xf0\x9f\x8c\x8a", "\xf0\x9f\x8c\x8a"},
  };
  for (const auto& [json, safe] : cases) EXPECT_EQ(escaped_json(json), safe) << json;
}

TEST(PrivateSocket, ThoseOfKilledProgramsAreRemoved) {
  const testing::Folder folder;
  const auto bound = [&](const std::string& name) {
    const int socket = ::socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    (folder / name).string().copy(address.sun_path, sizeof address.sun_path - 1);
    EXPECT_EQ(::bind(socket, reinterpret_cast<const sockaddr*>(&address), sizeof address), 0);
    return socket;
  };
  ::close(bound("4194305.control"));  // beyond the largest number of a process
  ::close(bound(std::to_string(::getpid()) + ".link"));
  folder.file("4194305.txt", "no socket");
  ::close(base::listen_privately(folder / "new.control"));
  EXPECT_FALSE(std::filesystem::exists(folder / "4194305.control"));
  EXPECT_TRUE(std::filesystem::exists(folder / (std::to_string(::getpid()) + ".link"))) << "its program lives";
  EXPECT_TRUE(std::filesystem::exists(folder / "4194305.txt"));
}

TEST(Files, AreKnownByWhatTheyHold) {
  const testing::Folder folder;
  const std::pair<std::string, FileKind> cases[] = {{std::string("SQLite format 3\0x", 17), FileKind::store},
                                                    {"name = \"x\"\n[[row]]\n", FileKind::toml},
                                                    {"PK\3\4", FileKind::bundle},
                                                    {"{\"format\":\"idle-meter-runs\",", FileKind::run_file},
                                                    {"<!DOCTYPE html>", FileKind::other},
                                                    {"", FileKind::other}};
  for (const auto& [bytes, kind] : cases) EXPECT_EQ(kind_of_file(folder.file("f", bytes)), kind) << bytes;
  EXPECT_EQ(kind_of_file(folder.file("settings.toml", "face = \"x\"")), FileKind::toml);
  EXPECT_EQ(kind_of_file(folder / "none"), FileKind::other);
}

TEST(KeyChord, IsReadInAnySpellingAndWrittenInOne) {
  const std::pair<const char*, const char*> cases[] = {
      {"Ctrl+Alt+O", "Ctrl+Alt+O"},
      {"alt+CTRL+o", "Ctrl+Alt+O"},
      {"F9", "F9"},
      {"super+shift+KP_Add", "Shift+Super+KP_Add"},
      {"Ctrl++", "Ctrl++"},
      {"Hyper+O", ""},
      {"Ctrl+", "Ctrl+"},
      {"", ""},
  };
  for (const auto& [text, usual] : cases) {
    const auto chord = key_chord_from(text);
    EXPECT_EQ(chord ? to_string(*chord) : "", usual) << text;
  }
}

TEST(Nearest, FindsWhatWasMeant) {
  const std::string_view words[] = {"gpu.temp", "gpu.hotspot.temp", "gpu.power", "cpu.temp", "frame.low@1%"};
  const std::pair<std::string, std::vector<std::string>> cases[] = {
      {"gpu.tmep", {"gpu.temp", "cpu.temp", "gpu.hotspot.temp"}},
      {"hotspot", {"gpu.hotspot.temp"}},
      {"FRAME.LOW", {"frame.low@1%"}},
      {"", {}},
      {"keyboard", {}},
      {std::string(101, 'x'), {}}};
  for (const auto& [word, found] : cases) EXPECT_EQ(nearest(word, words), found) << word;
  EXPECT_EQ(nearest("gpu.tmep", words, 1), std::vector<std::string>{"gpu.temp"});
  EXPECT_EQ(did_you_mean("gpu.pwer", std::span(words).first(3)), "; did you mean 'gpu.power' or 'gpu.temp'?");
  EXPECT_EQ(did_you_mean("keyboard", words), "");
}

TEST(UserFolder, IsWhereTheDesktopPutsIt) {
  const std::tuple<const char*, const char*, const char*> cases[] = {
      {"/data", "/home/me", "/data/idlemeter"},
      {"data", "/home/me", "/home/me/.local/share/idlemeter"},  // the standard wants whole paths
      {"", "/home/me", "/home/me/.local/share/idlemeter"},
      {nullptr, "/home/me", "/home/me/.local/share/idlemeter"}};
  const std::string home = std::getenv("HOME") == nullptr ? "" : std::getenv("HOME");
  for (const auto& [variable, at_home, folder] : cases) {
    variable == nullptr ? ::unsetenv("OWN_VARIABLE") : ::setenv("OWN_VARIABLE", variable, 1);
    ::setenv("HOME", at_home, 1);
    EXPECT_EQ(user_folder("OWN_VARIABLE", ".local/share"), folder) << (variable == nullptr ? "unset" : variable);
  }
  ::setenv("HOME", home.c_str(), 1);
}

TEST(UserFolder, IsPrivateOrRefused) {
  const testing::Folder folder;
  make_private_folder(folder / "a/b");
  EXPECT_EQ(std::filesystem::status(folder / "a/b").permissions(), std::filesystem::perms::owner_all);
  make_private_folder(folder / "a/b");
  std::filesystem::permissions(folder / "a/b", std::filesystem::perms::group_read, std::filesystem::perm_options::add);
  EXPECT_THROW(make_private_folder(folder / "a/b"), Error) << "open to others";
  std::filesystem::create_directory_symlink(folder / "a", folder / "link");
  EXPECT_THROW(make_private_folder(folder / "link"), Error);
  folder.file("file", "");
  EXPECT_THROW(make_private_folder(folder / "file"), Error);
}

TEST(Columns, AreThoseOfATerminal) {
  const std::tuple<const char*, std::size_t, const char*> cases[] = {{"", 0, ""},
                                                                     {"abcdef", 6, "abc…"},
                                                                     {"Größe", 5, "Grö…"},
                                                                     {"潮溜まりラリー", 14, "潮…"},
                                                                     {"e\u0301t\u00e9", 3, "e\u0301t\u00e9"},
                                                                     {"🦀🦀", 4, "🦀🦀"},
                                                                     {"a\xff", 2, "a\xff"}};
  for (const auto& [text, wide, cut] : cases) {
    EXPECT_EQ(columns(text), wide) << text;
    EXPECT_EQ(cut_to_columns(text, 4), cut);
    EXPECT_LE(columns(cut_to_columns(text, 4)), 4u);
  }
  Table table({Table::Align::left, Table::Align::left});
  table.add({"潮溜まり", "1"});
  table.add({"Tidepool", "2"});
  EXPECT_EQ(table.text(), "潮溜まり  1\nTidepool  2\n");
}

/// A server and its clients in one thread: what was sent is there when it serves.
class Lines : public ::testing::Test {
 protected:
  void start(LineServerOptions options) {
    server_.emplace(
        socket(), options,
        [this](LineServer::Client client, std::string_view line) {
          heard_.emplace_back(line);
          last_ = client;
          if (echo_) server_->answer(client, "you said " + std::string(line));
        },
        [this](LineServer::Client) { ++refused_; });
  }

  [[nodiscard]] std::filesystem::path socket() const { return folder_ / "run/lines"; }

  int connect() {
    clients_.push_back(connect_to(socket().c_str()));
    EXPECT_GE(clients_.back(), 0);
    serve();
    return clients_.back();
  }

  void send(int client, const std::string& text) {
    for (std::size_t sent = 0; sent < text.size();) {
      const ssize_t some = ::send(client, text.data() + sent, text.size() - sent, MSG_NOSIGNAL);
      if (some > 0) sent += static_cast<std::size_t>(some);
      serve();
      if (some < 0 && errno != EAGAIN) return;
    }
  }

  void serve() {
    for (int i = 0; i < 8; ++i) server_->serve();
  }

  /// What has come back; "closed" at its end.
  static std::string read(int client) {
    char buffer[4096];
    const ssize_t got = ::recv(client, buffer, sizeof buffer, MSG_DONTWAIT);
    return got > 0 ? std::string(buffer, static_cast<std::size_t>(got)) : got == 0 ? "closed" : "";
  }

  ~Lines() override {
    for (const int client : clients_) ::close(client);
  }

  testing::Folder folder_;
  std::optional<LineServer> server_;
  std::vector<int> clients_;
  std::vector<std::string> heard_;
  LineServer::Client last_ = 0;
  int refused_ = 0;
  bool echo_ = false;
};

TEST_F(Lines, ComeInPiecesAndTooLongOnesAreRefused) {
  start({.line_bytes = 8});
  const int client = connect();
  send(client, "on");
  send(client, "e\ntwo\n\n");
  EXPECT_EQ(heard_, (std::vector<std::string>{"one", "two", ""}));
  send(client, "12345678\n123456789\n" + std::string(100'000, 'x') + "\nafter\nunfinished");
  EXPECT_EQ(heard_.back(), "after");
  EXPECT_EQ(heard_.size(), 5u);
  EXPECT_EQ(refused_, 2);
  ::shutdown(client, SHUT_WR);
  serve();
  EXPECT_EQ(refused_, 3) << "a line without an end";
  EXPECT_EQ(read(client), "closed");
}

TEST_F(Lines, AreAnsweredOneAfterAnother) {
  start({.line_bytes = 100, .answers = true});
  const int client = connect();
  send(client, "a\nb\n");
  EXPECT_EQ(heard_, std::vector<std::string>{"a"}) << "the second waits";
  const LineServer::Client first = last_;
  server_->answer(first, "1");
  EXPECT_EQ(heard_.back(), "b");
  ::shutdown(client, SHUT_WR);
  serve();
  server_->answer(first, "2");
  server_->answer(first, "nobody waits for this");
  EXPECT_EQ(read(client), "1\n2\n") << "also to one that sends nothing more";
  serve();
  EXPECT_EQ(read(client), "closed");
}

TEST_F(Lines, AnsweredAtOnceDoNotGrowTheStack) {
  echo_ = true;
  start({.line_bytes = 100, .answers = true});
  const int client = connect();
  std::string many;
  for (int i = 0; i < 5'000; ++i) many += "x\n";
  std::string back;
  for (std::size_t sent = 0; sent < many.size(); sent += 200) {
    send(client, many.substr(sent, 200));
    for (std::string part; !(part = read(client)).empty();) back += part;
  }
  EXPECT_EQ(heard_.size(), 5'000u);
  EXPECT_EQ(back.size(), 5'000 * std::string("you said x\n").size());
  send(client, std::string(200, 'y'));
  EXPECT_EQ(read(client), "closed") << "its next answer would be another line's";
}

TEST_F(Lines, WithUnreadAnswersEndTheConnection) {
  echo_ = true;
  start({.line_bytes = 100, .answers = true});
  const int client = connect();
  send(client, std::string(10'000, '\n'));  // and reads nothing
  std::string back, part;
  while (!(part = read(client)).empty() && part != "closed") back += part;
  EXPECT_EQ(part, "closed");
  EXPECT_LT(heard_.size(), 10'000u);
}

TEST_F(Lines, AreStreamedAsFastAsTheClientReads) {
  using Reader = LineServer::Reader;
  start({.most_clients = 2, .line_bytes = 100, .answers = true, .newest_first = true});
  const int client = connect();
  send(client, "watch\n");
  const LineServer::Client watcher = last_;
  const std::string line(100'000, 'x');
  int sent = 0;
  for (; server_->reader(watcher) == Reader::ready && sent < 1'000; ++sent) server_->stream(watcher, line);
  EXPECT_LT(sent, 1'000) << "what isn't read isn't kept";
  connect();
  connect();
  connect();
  std::size_t lines = 0;
  for (std::string part; lines < static_cast<std::size_t>(sent);) {
    part = read(client);
    ASSERT_NE(part, "closed") << "dropped for a newcomer";
    lines += static_cast<std::size_t>(std::count(part.begin(), part.end(), '\n'));
    (void)server_->reader(watcher);
  }
  EXPECT_EQ(server_->reader(watcher), Reader::ready);
  ::shutdown(client, SHUT_RDWR);
  serve();
  server_->stream(watcher, "one more");
  EXPECT_EQ(server_->reader(watcher), Reader::gone);
}

TEST_F(Lines, HaveALimitedNumberOfClients) {
  for (const bool newest_first : {false, true}) {
    start({.most_clients = 2, .newest_first = newest_first});
    const int first = connect(), second = connect();
    send(first, "lately\n");
    const int third = connect();
    EXPECT_EQ(read(third), newest_first ? "" : "closed");
    EXPECT_EQ(read(second), newest_first ? "closed" : "") << "silent longest";
    EXPECT_EQ(read(first), "");
    server_.reset();
    EXPECT_FALSE(std::filesystem::exists(socket()));
  }
}

TEST_F(Lines, HaveTheirOwnSocket) {
  start({});
  EXPECT_THROW(LineServer(socket(), {}, [](LineServer::Client, std::string_view) {}), Error) << "it is in use";
  EXPECT_LT(connect_to((folder_ / "none").c_str()), 0);
  EXPECT_LT(connect_to(std::string(300, 'x').c_str()), 0);
  EXPECT_EQ(errno, ENAMETOOLONG);
}

}  // namespace
}  // namespace idlemeter::base
