// The keys of faces and settings: what the documents say, and what a file without them means.
#include "idlemeter/face/file_keys.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>
#include <iterator>
#include <regex>
#include <string>

#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/settings/settings_keys.hpp"

namespace idlemeter {
namespace {

std::string document(const char* name) {
  std::ifstream file(std::string(DOCS "/") + name);
  return {std::istreambuf_iterator<char>(file), {}};
}

/// A face with one key written as its default.
std::string face_with(const FileKey& key) {
  const std::string line = fmt::format("{} = {}\n", key.name, key.usual);
  std::string way = key.ways.empty() ? "" : fmt::format(", as = \"{}\"", key.ways.front());
  if (way.find("reel") != std::string::npos) way += ", sheet = \"a.png\"";
  const std::string cell = fmt::format("{{ reading = \"gpu.load\"{}", way);
  const std::string row = fmt::format("[[row]]\ncells = [ {} }} ]\n", cell);
  if (key.table == "cell") return fmt::format("[[row]]\ncells = [ {}, {} = {} }} ]\n", cell, key.name, key.usual);
  if (key.table == "row") return row + line;
  if (key.table == "pin") {
    const bool of_box = key.name == "opacity" || key.name == "radius";
    return fmt::format("[[pin]]\nat = [1, 2]\n{}\n{}", of_box ? "box = [9, 9]" : "text = \"a\"", line);
  }
  return (key.table.empty() ? line : fmt::format("{} = {{ {} = {} }}\n", key.table, key.name, key.usual)) + row;
}

std::string without(const std::string& toml, const FileKey& key) {
  std::string text = toml;
  for (const char* form : {", {} = {}", "{} = {}\n", "{} = {}"}) {
    const std::string part = fmt::format(fmt::runtime(form), key.name, key.usual);
    if (const std::size_t at = text.find(part); at != std::string::npos) return text.erase(at, part.size());
  }
  return text;
}

TEST(FaceKeys, HaveTheDefaultsThatFacesHaveWithoutThem) {
  int tried = 0;
  for (const FileKey& key : face_keys()) {
    if (key.usual.empty()) continue;
    const std::string with = face_with(key);
    const auto said = parse_face(with), unsaid = parse_face(without(with, key));
    ASSERT_TRUE(said.face && unsaid.face) << with;
    EXPECT_EQ(to_toml(*said.face), to_toml(*unsaid.face)) << with;
    ++tried;
  }
  EXPECT_GT(tried, 25);
}

TEST(FaceKeys, ArePutWithTheirRanges) {
  for (const FileKey& key : face_keys()) {
    if ((key.type != KeyType::number && key.type != KeyType::whole) || key.least <= -1e15) continue;
    FileKey beyond = key;
    for (const double value : {key.least - 1, key.most + 1}) {
      const std::string written = fmt::format("{}", value);
      beyond.usual = written;
      const auto reading = parse_face(face_with(beyond));
      ASSERT_FALSE(reading.findings.empty()) << face_with(beyond);
      EXPECT_NE(reading.findings.front().message.find(std::string(key.name)), std::string::npos)
          << reading.findings.front().message;
    }
  }
}

TEST(FaceKeys, AreInTheDocuments) {
  const struct {
    const char* document;
    std::string expected;
  } cases[] = {{"face.md", key_table(face_keys(), "") + key_table(face_keys(), "place", "place.") +
                               key_table(face_keys(), "text", "text.") + key_table(face_keys(), "back", "back.")},
               {"face.md", key_table(face_keys(), "row")},
               {"face.md", key_table(face_keys(), "cell")},
               {"face.md", key_table(face_keys(), "pin")}};
  for (const auto& c : cases) EXPECT_NE(document(c.document).find(c.expected), std::string::npos) << c.expected;
}

/// Everything that a key may default, on a line.
std::string settings_words(const Settings& s) {
  const auto cues = [](const std::vector<CueWay>& ways) {
    std::string text;
    for (const CueWay way : ways) text += fmt::format("{} ", static_cast<int>(way));
    return text;
  };
  std::string text =
      fmt::format("{} {} {} {} {} {} {} {} {}", s.pace.count(), name_of(s.gpu_time), s.recording.hides_overlay,
                  s.recording.tags.size(), s.keys.show, s.keys.clear, s.keys.record, s.keys.face, s.keys.mark);
  for (const auto& ways : {s.cues.start, s.cues.end, s.cues.mark, s.cues.failure}) text += " cue " + cues(ways);
  text += fmt::format(" feed {}", s.feed.value_or(FeedOptions()).age.count());
  for (const ButtonChoice& one : s.buttons) text += fmt::format(" button {}", static_cast<int>(one.does));
  for (const ComputedReading& one : s.computed)
    text += fmt::format(" {} {}", static_cast<int>(one.take), one.over.count());
  for (const CommandReading& one : s.commands)
    text += fmt::format(" {} {} {}", one.info.text, one.every.count(), one.limit.count());
  return text;
}

/// Settings in which a key can stand, with this line in its table.
std::string settings_with(const FileKey& key, const std::string& line) {
  if (key.table.empty()) return line;
  if (key.table == "computed") return "[[computed]]\nid = \"own.a\"\nof = \"gpu.power\"\n" + line;
  if (key.table == "button") return "[[button]]\ndevice = \"/dev/input/event0\"\npress = \"BTN_MODE\"\n" + line;
  if (key.table == "command") return "[[command]]\nid = \"own.a\"\nshell = \"date\"\n" + line;
  return fmt::format("[{}]\n{}", key.table, line);
}

TEST(SettingsKeys, HaveTheDefaultsAndAreInTheDocument) {
  const std::string text = document("settings.md");
  for (const FileKey& key : settings_keys()) {
    const std::regex written(fmt::format("(^|[\n\" ]){} *= |\n\\[{}\\]", key.name, key.name));
    EXPECT_TRUE(std::regex_search(text, written)) << key.table << "." << key.name;
    if (key.usual.empty()) continue;
    const std::string with = settings_with(key, fmt::format("{} = {}\n", key.name, key.usual));
    const auto said = parse_settings(with), unsaid = parse_settings(settings_with(key, ""));
    ASSERT_TRUE(said.settings && unsaid.settings) << with;
    EXPECT_EQ(settings_words(*said.settings), settings_words(*unsaid.settings)) << with;
  }
}

}  // namespace
}  // namespace idlemeter
