#include "idlemeter/settings/settings.hpp"

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cstdlib>

#include "face/format/toml_reader.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/settings/settings_keys.hpp"
#include "idlemeter/sources/command_source.hpp"
#include "idlemeter/sources/feed.hpp"
#include "readings/formula.hpp"
#include "settings/read_controls.hpp"

namespace idlemeter {
namespace {

using namespace base;
using namespace readings;
using namespace face;
using settings::read_button;
using settings::read_keys;

constexpr Word<ComputedReading::Take> kTakes[] = {{"mean", ComputedReading::Take::mean},
                                                  {"least", ComputedReading::Take::least},
                                                  {"most", ComputedReading::Take::most}};

constexpr Word<GpuTime> kGpuTimes[] = {{"auto", GpuTime::automatic}, {"on", GpuTime::on}, {"off", GpuTime::off}};

void read_duration(TableReader& table, std::string_view key, Nanoseconds& into) {
  const toml::node* node = table.find(key);
  if (node == nullptr) return;
  const auto text = node->value_exact<std::string>();
  const auto duration = text ? duration_from(*text) : std::nullopt;
  const Nanoseconds least = from_seconds(table.about(key).least), most = from_seconds(table.about(key).most);
  if (!duration || *duration < least || *duration > most) {
    return table.report(
        *node, fmt::format("'{}' must be a time from {} ms to {} s in quotes, like \"500 ms\", \"2 s\" or \"1 min\"",
                           key, least / kMillisecond, most / kSecond));
  }
  into = *duration;
}

void read_game(TableReader& table, Settings& settings) {
  GameRule rule;
  table.read("program", rule.program);
  table.read("face", rule.face);
  if (rule.program.empty() || rule.face.empty()) {
    table.report(table.table(), "a game has 'program', a pattern like \"tidepool*\", and the 'face' that it gets");
  }
  settings.games.push_back(std::move(rule));
}

constexpr Nanoseconds kShortestPace = std::chrono::milliseconds(100), kLongestPace = std::chrono::minutes(1);

/// A table of texts by id; any key is right.
void read_facts(const toml::table& root, TableReader& table, Settings& settings) {
  const toml::node* node = table.find("facts");
  if (node == nullptr) return;
  if (!root.get("facts")->is_table())
    return table.report(*node, "'facts' is a table like { \"cpu.name\" = \"Corvid 8\" }");
  for (const auto& [key, value] : *node->as_table()) {
    const auto text = value.value_exact<std::string>();
    if (text) {
      settings.facts.emplace(key.str(), *text);
    } else {
      table.report(value,
                   fmt::format("the fact '{}' is a string, not {}; quote its id, like \"cpu.name\" = \"Corvid 8\"",
                               key.str(), kind_name(value.type())));
    }
  }
}

void read_paces(TableReader& table, Settings& settings) {
  const toml::node* node = table.find("paces");
  if (node == nullptr) return;
  if (!node->is_table()) return table.report(*node, "'paces' is a table like { hwmon = \"2 s\" }");
  for (const auto& [key, value] : *node->as_table()) {
    const auto text = value.value_exact<std::string>();
    const auto pace = text ? duration_from(*text) : std::nullopt;
    if (pace && *pace >= kShortestPace && *pace <= kLongestPace) {
      settings.paces.emplace(key.str(), *pace);
    } else {
      table.report(value,
                   fmt::format("the pace of '{}' is a time from 100 ms to 60 s in quotes, like \"2 s\"", key.str()));
    }
  }
}

bool is_id(std::string_view text) {
  const bool parts = text.find('.') != std::string_view::npos && text.front() != '.' && text.back() != '.';
  return parts && std::all_of(text.begin(), text.end(), [](char c) {
           return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '_' || c == '.';
         });
}

/// Reports an id that is missing, that isn't one, or that another reading has.
void check_id(TableReader& table, const std::string& given, const Settings& settings) {
  const toml::node* id = table.find("id");
  if (id == nullptr)
    return table.report(table.table(), "a reading without 'id'; give it one, like id = \"own.efficiency\"");
  if (!is_id(given))
    table.report(
        *id,
        fmt::format("'{}' isn't an id; an id is words of a-z, 0-9 and _ with dots between, like \"own.efficiency\"",
                    given));
  const auto has_id = [&](const auto& other) { return other.info.id == given; };
  const bool taken = std::any_of(settings.computed.begin(), settings.computed.end(), has_id) ||
                     std::any_of(settings.commands.begin(), settings.commands.end(), has_id);
  if (taken) table.report(*id, fmt::format("there are two readings '{}'; rename one of them", given));
}

ReadingInfo read_info(TableReader& table, const Settings& settings) {
  ReadingInfo info;
  table.read("id", info.id);
  table.read("title", info.title);
  table.read("brief", info.brief);
  std::string unit;
  table.read("unit", unit);
  std::optional<int> digits;
  table.read("digits", digits);
  info.kind = DeviceKind::own;
  info.device = "Readings of your own";
  info.digits = digits.value_or(-1);
  info.unit = unit_from(unit).value_or(Unit::none);
  if (info.title.empty()) info.title = info.id;
  if (info.brief.empty()) info.brief = info.title;
  if (!unit_from(unit)) {
    std::vector<std::string_view> symbols;
    for (Unit known : all_units()) symbols.push_back(symbol(known));
    table.report(*table.find("unit"), fmt::format("'{}' isn't a unit{}", unit, did_you_mean(unit, symbols)));
  }
  check_id(table, info.id, settings);
  return info;
}

void read_computed(TableReader& table, Settings& settings) {
  ComputedReading reading;
  reading.info = read_info(table, settings);
  table.read("formula", reading.formula);
  table.read("of", reading.of);
  table.read_word("take", reading.take, kTakes);
  read_duration(table, "over", reading.over);
  if (reading.formula.empty() == reading.of.empty()) {
    table.report(table.table(), "a computed reading has either 'formula' or 'of'");
  } else if (!reading.formula.empty()) {
    reading.info.source = reading.formula;
    try {
      (void)Formula(reading.formula);
    } catch (const Error& error) {
      table.report(*table.find("formula"), error.what());
    }
  } else {
    reading.info.source = fmt::format("{} over {} s", reading.of, in_seconds(reading.over));
  }
  settings.computed.push_back(std::move(reading));
}

/// The strings of an array; empty if it is anything else.
std::optional<std::vector<std::string>> strings_of(const toml::node& node) {
  const toml::array* array = node.as_array();
  if (array == nullptr) return std::nullopt;
  std::vector<std::string> strings;
  for (const toml::node& one : *array) {
    const auto text = one.value_exact<std::string>();
    if (!text) return std::nullopt;
    strings.push_back(*text);
  }
  return strings;
}

/// Either the words of a command, or a line for the shell.
std::vector<std::string> read_words(TableReader& table) {
  std::vector<std::string> words;
  if (const toml::node* run = table.find("run")) {
    words = strings_of(*run).value_or(std::vector<std::string>());
    if (words.empty())
      table.report(*run,
                   "'run' is an array of strings, the program and its arguments, like [\"cat\", \"/tmp/preset\"]");
  }
  std::string line;
  table.read("shell", line);
  if (!line.empty() && words.empty()) return {"/bin/sh", "-c", line};
  if (line.empty() == words.empty())
    table.report(table.table(), "a command has either 'run', without a shell, or 'shell', a line for one");
  return words;
}

void read_command(TableReader& table, Settings& settings) {
  CommandReading reading;
  reading.info = read_info(table, settings);
  table.read("text", reading.info.text);
  reading.command = read_words(table);
  read_duration(table, "every", reading.every);
  read_duration(table, "limit", reading.limit);
  for (const std::string& word : reading.command)
    reading.info.source += (reading.info.source.empty() ? "" : " ") + word;
  settings.commands.push_back(std::move(reading));
}

void read_feed(TableReader& table, Settings& settings) {
  FeedOptions feed;
  std::string socket;
  table.read("socket", socket);
  read_duration(table, "age", feed.age);
  feed.socket = socket.empty() ? usual_feed_socket() : std::filesystem::path(socket);
  settings.feed = feed;
}

constexpr Word<bool> kOverlays[] = {{"shown", false}, {"hidden", true}};

/// settings = { Preset = "High" }
void read_run_settings(TableReader& table, std::map<std::string, std::string>& settings) {
  const toml::node* node = table.find("settings");
  if (node == nullptr) return;
  if (!node->is_table()) return table.report(*node, "'settings' is a table like { Preset = \"High\" }");
  for (const auto& [key, value] : *node->as_table()) {
    const auto text = value.value_exact<std::string>();
    if (!text)
      table.report(value, fmt::format("the setting '{}' is a string, not {}", key.str(), kind_name(value.type())));
    settings.emplace(key.str(), text.value_or(""));
  }
}

void read_recording(TableReader& table, RecordingChoices& recording) {
  table.read_word("overlay", recording.hides_overlay, kOverlays);
  read_run_settings(table, recording.settings);
  table.read("note", recording.note);
  std::string results;
  table.read("results", results);
  recording.results = results;
  table.read("figures", recording.figures);
  const toml::node* node = table.find("tags");
  if (node == nullptr) return;
  const auto tags = strings_of(*node);
  if (!tags) return table.report(*node, "'tags' is an array of strings, like [\"cool\", \"new driver\"]");
  recording.tags = *tags;
}

bool is_figure_set(std::string_view name, const std::vector<std::string>& ids) {
  return !ids.empty() && std::find(ids.begin(), ids.end(), "") == ids.end() &&
         name.find_first_of(".,") == std::string_view::npos;
}

/// [figures] with sets like publish = ["frame.average", "frame.low@1%"]; any name is right that isn't an id.
void read_figures(TableReader& table, Settings& settings) {
  const toml::node* node = table.find("figures");
  if (node == nullptr) return;
  const toml::table* sets = node->as_table();
  if (sets == nullptr) return table.report(*node, "'figures' is a table of sets like publish = [\"frame.average\"]");
  for (const auto& [name, ids] : *sets) {
    const auto set = strings_of(ids);
    if (set && is_figure_set(name.str(), *set)) {
      settings.figures.emplace(name.str(), *set);
    } else {
      table.report(ids, fmt::format("the set '{}' is an array of ids, like [\"frame.average\", \"gpu.power\"], and its "
                                    "name has no '.' or ','",
                                    name.str()));
    }
  }
}

constexpr Word<CueWay> kCueWays[] = {
    {"tone", CueWay::tone}, {"notification", CueWay::notification}, {"speech", CueWay::speech}};

/// start = ["tone", "speech"]
void read_cue(TableReader& table, const char* name, std::vector<CueWay>& ways) {
  const toml::node* node = table.find(name);
  if (node == nullptr) return;
  ways.clear();
  const auto words = strings_of(*node);
  bool right = words.has_value();
  for (const std::string& word : words.value_or(std::vector<std::string>())) {
    const auto way = value_of(word, kCueWays);
    right = right && way;
    if (way && std::find(ways.begin(), ways.end(), *way) == ways.end()) ways.push_back(*way);
  }
  if (!right)
    table.report(*node,
                 fmt::format("'{}' is an array of \"tone\", \"notification\" and \"speech\"; [] for no cue", name));
}

void read_cues(TableReader& table, CueChoices& cues) {
  read_cue(table, "start", cues.start);
  read_cue(table, "end", cues.end);
  read_cue(table, "mark", cues.mark);
  read_cue(table, "failure", cues.failure);
}

/// The set that a recording's results are written by has to be there.
void check_chosen_figures(const toml::table& root, TableReader& table, const Settings& settings) {
  const std::string& chosen = settings.recording.figures;
  if (chosen.empty() || settings.figures.contains(chosen)) return;
  table.report(
      *root["recording"]["figures"].node(),
      fmt::format("there is no set '{}'; add it as {} = [\"frame.average\", …] under [figures]", chosen, chosen));
}

}  // namespace

std::string_view name_of(GpuTime choice) {
  return std::find_if(std::begin(kGpuTimes), std::end(kGpuTimes),
                      [&](const auto& word) { return word.value == choice; })
      ->word;
}

SettingsParse parse_settings(std::string_view toml) {
  SettingsParse reading;
  read_toml(toml, reading.findings, [&](const toml::table& root) {
    TableReader table(root, "the settings", reading.findings, settings_keys());
    Settings settings;
    read_duration(table, "pace", settings.pace);
    read_paces(table, settings);
    read_facts(root, table, settings);
    table.read_tables("computed", limits::kOwnReadings, [&](TableReader& one) { read_computed(one, settings); });
    table.read_tables("command", limits::kOwnReadings, [&](TableReader& one) { read_command(one, settings); });
    table.read_table("feed", [&](TableReader& feed) { read_feed(feed, settings); });
    table.read("face", settings.face);
    std::string store;
    table.read("store", store);
    settings.store = store;
    table.read_tables("game", limits::kCells, [&](TableReader& one) { read_game(one, settings); });
    table.read_table("keys", [&](TableReader& keys) { read_keys(keys, settings.keys); });
    table.read_tables("button", limits::kButtons, [&](TableReader& one) { read_button(one, settings); });
    table.read_word("gpu_time", settings.gpu_time, kGpuTimes);
    table.read_table("recording", [&](TableReader& one) { read_recording(one, settings.recording); });
    table.read_table("cues", [&](TableReader& one) { read_cues(one, settings.cues); });
    read_figures(table, settings);
    check_chosen_figures(root, table, settings);
    table.done();
    if (reading.findings.empty()) reading.settings = std::move(settings);
  });
  return reading;
}

Settings load_settings(const std::filesystem::path& file) {
  SettingsParse reading = parse_settings(read_toml_file(file, "settings"));
  if (!reading.settings) throw_findings(reading.findings, file);
  std::filesystem::path& store = reading.settings->store;  // beside the file, unless it says where
  if (!store.empty() && store.is_relative()) store = (file.parent_path() / store).lexically_normal();
  return std::move(*reading.settings);
}

std::filesystem::path usual_settings_path() { return user_folder("XDG_CONFIG_HOME", ".config") / "settings.toml"; }

Settings settings_in(const std::filesystem::path& file) {
  return std::filesystem::exists(file) ? load_settings(file) : Settings{};
}

Settings usual_settings(const std::filesystem::path& file) {
  if (!file.empty()) return load_settings(file);
  const std::filesystem::path usual = usual_settings_path();
  return std::filesystem::exists(usual) ? load_settings(usual) : Settings{};
}

}  // namespace idlemeter
