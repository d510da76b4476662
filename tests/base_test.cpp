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

#include "base/csv.hpp"
#include "base/key_chord.hpp"
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
#include "idlemeter/base/watched_file.hpp"

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

TEST(Csv, IsWrittenFieldByField) {
  std::string text;
  CsvWriter csv(text);
  csv.raw("run").text("game, or none").text("=1+1").end_line();
  csv.number(std::int64_t{-3}).number(0.1).number(2.0 / 3, 2).number(std::optional<double>()).empty().end_line();
  csv.seconds(Nanoseconds{-1'500'000'001}).seconds(Nanoseconds{-1}).milliseconds(Nanoseconds{16'683'400}).end_line();
  EXPECT_EQ(text, "run,\"game, or none\",'=1+1\r\n-3,0.1,0.67,,\r\n-1.500000001,-0.000000001,16.683400\r\n");
  text.clear();
  CsvWriter plain(text, "\n");
  plain.empty().end_line();
  plain.text("a").end_line();
  EXPECT_EQ(text, "\na\n") << "a first field that is empty is one too";
}

TEST(WatchedFile, NoticesEverySave) {
  const testing::Folder folder;
  WatchedFile file(folder / "face.toml");
  EXPECT_TRUE(file.has_changed());
  EXPECT_FALSE(file.is_there());
  EXPECT_FALSE(file.has_changed());
  const auto expect_change = [&](const char* how, bool is_there) {
    EXPECT_TRUE(file.has_changed()) << how;
    EXPECT_EQ(file.is_there(), is_there) << how;
    EXPECT_FALSE(file.has_changed()) << how;
  };
  folder.file("face.toml", "a");
  expect_change("made", true);
  std::filesystem::last_write_time(file.path(),
                                   std::filesystem::last_write_time(file.path()) + std::chrono::seconds(1));
  expect_change("saved with the same length", true);
  folder.file("other.toml", "ab");
  std::filesystem::rename(folder / "other.toml", file.path());
  expect_change("replaced", true);
  std::filesystem::remove(file.path());
  expect_change("removed", false);
}

}  // namespace
}  // namespace idlemeter::base
