#include "idlemeter/settings.hpp"

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cstdlib>

#include "face/toml_reader.hpp"
#include "idlemeter/error.hpp"
#include "idlemeter/limits.hpp"
#include "readings/formula.hpp"
#include "readings/user_folder.hpp"

namespace idlemeter {
namespace {

using std::chrono::nanoseconds;

constexpr Word<ComputedReading::Take> kTakes[] = {{"mean", ComputedReading::Take::mean},
                                                  {"least", ComputedReading::Take::least},
                                                  {"most", ComputedReading::Take::most}};

constexpr Word<GpuTime> kGpuTimes[] = {{"auto", GpuTime::automatic}, {"on", GpuTime::on}, {"off", GpuTime::off}};

/// "500 ms", "2 s", "1 min".
std::optional<nanoseconds> duration_from(const std::string& text) {
  double amount = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), amount);
  std::string_view unit(end, text.data() + text.size());
  while (unit.starts_with(' ')) unit.remove_prefix(1);
  const double seconds = unit == "ms" ? 1e-3 : unit == "s" ? 1 : unit == "min" ? 60 : 0;
  if (error != std::errc{} || seconds == 0 || !(amount > 0 && amount < 1e6)) return std::nullopt;
  return nanoseconds(static_cast<Nanoseconds>(amount * seconds * kSecond));
}

void read_duration(TableReader& table, std::string_view key, nanoseconds& into, nanoseconds least, nanoseconds most) {
  const toml::node* node = table.find(key);
  if (node == nullptr) return;
  const auto text = node->value_exact<std::string>();
  const auto duration = text ? duration_from(*text) : std::nullopt;
  if (!duration || *duration < least || *duration > most) {
    return table.tell(
        *node, fmt::format("'{}' is a time from {} ms to {} s in quotes, like \"500 ms\", \"2 s\" or \"1 min\"", key,
                           least.count() / kMillisecond, most.count() / kSecond));
  }
  into = *duration;
}

void read_game(TableReader& table, Settings& settings) {
  GameRule rule;
  table.read("program", rule.program);
  table.read("face", rule.face);
  if (rule.program.empty() || rule.face.empty()) {
    table.tell(table.table(), "a game has 'program', a pattern like \"tidepool*\", and the 'face' that it gets");
  }
  settings.games.push_back(std::move(rule));
}

/// "alt+Ctrl+o" -> "Ctrl+Alt+O"; empty where it isn't one.
std::optional<std::string> chord_from(const std::string& text) {
  constexpr std::string_view kModifiers[] = {"Shift", "Ctrl", "Alt", "Super"};
  const auto lower = [](std::string_view word) {
    std::string small(word);
    for (char& c : small) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    return small;
  };
  bool held[4] = {};
  std::size_t start = 0;
  for (std::size_t plus; (plus = text.find('+', start)) != std::string::npos && plus + 1 < text.size();
       start = plus + 1) {
    const std::string word = lower(std::string_view(text).substr(start, plus - start));
    const auto* found = std::find_if(std::begin(kModifiers), std::end(kModifiers),
                                     [&](std::string_view modifier) { return lower(modifier) == word; });
    if (found == std::end(kModifiers)) return std::nullopt;
    held[found - kModifiers] = true;
  }
  std::string chord;
  for (std::size_t i = 0; i < 4; ++i) chord += held[i] ? std::string(kModifiers[i]) + "+" : "";
  std::string key = text.substr(start);
  if (key.empty()) return std::nullopt;
  if (key.size() == 1 && key[0] >= 'a' && key[0] <= 'z') key[0] = static_cast<char>(key[0] - 'a' + 'A');
  return chord + key;
}

void read_keys(TableReader& table, KeyChoices& keys) {
  const std::pair<const char*, std::string*> kChoices[] = {{"show", &keys.show},
                                                           {"clear", &keys.clear},
                                                           {"record", &keys.record},
                                                           {"face", &keys.face},
                                                           {"mark", &keys.mark}};
  std::map<std::string, const char*> taken;
  for (const auto& [name, key] : kChoices) {
    table.read(name, *key);
    if (key->empty()) continue;
    const auto chord = chord_from(*key);
    const toml::node& where = table.table().contains(name) ? *table.table().get(name) : table.table();
    if (!chord) {
      table.tell(where,
                 fmt::format("'{}' is no key; write it like \"Ctrl+Alt+O\", with Shift, Ctrl, Alt, Super", *key));
      continue;
    }
    *key = *chord;
    std::string same = *chord;  // F9 and f9 are one key
    std::transform(same.begin(), same.end(), same.begin(), [](unsigned char c) { return std::tolower(c); });
    const auto [other, is_new] = taken.try_emplace(same, name);
    if (!is_new)
      table.tell(where,
                 fmt::format("'{}' is the key of both '{}' and '{}'; give one another", *chord, other->second, name));
  }
}

constexpr nanoseconds kShortestPace = std::chrono::milliseconds(100), kLongestPace = std::chrono::minutes(1);

/// A table of texts by id; any key is right.
void read_facts(const toml::table& root, TableReader& table, Settings& settings) {
  const toml::node* node = table.find("facts");
  if (node == nullptr) return;
  if (!root.get("facts")->is_table())
    return table.tell(*node, "'facts' is a table like { \"cpu.name\" = \"Corvid 8\" }");
  for (const auto& [key, value] : *node->as_table()) {
    const auto text = value.value_exact<std::string>();
    if (text) {
      settings.facts.emplace(key.str(), *text);
    } else {
      table.tell(value, fmt::format("the fact '{}' is a string, not {}; quote its id, like \"cpu.name\" = \"Corvid 8\"",
                                    key.str(), kind_name(value.type())));
    }
  }
}

void read_paces(TableReader& table, Settings& settings) {
  const toml::node* node = table.find("paces");
  if (node == nullptr) return;
  if (!node->is_table()) return table.tell(*node, "'paces' is a table like { hwmon = \"2 s\" }");
  for (const auto& [key, value] : *node->as_table()) {
    const auto text = value.value_exact<std::string>();
    const auto pace = text ? duration_from(*text) : std::nullopt;
    if (pace && *pace >= kShortestPace && *pace <= kLongestPace) {
      settings.paces.emplace(key.str(), *pace);
    } else {
      table.tell(value,
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

ReadingInfo read_info(TableReader& table, const Settings& settings) {
  ReadingInfo info;
  table.read("id", info.id);
  table.read("title", info.title);
  table.read("brief", info.brief);
  std::string unit;
  table.read("unit", unit);
  std::optional<int> digits;
  table.read("digits", digits, 0, 6);
  info.kind = DeviceKind::own;
  info.device = "Readings of your own";
  info.digits = digits.value_or(-1);
  info.unit = unit_from(unit).value_or(Unit::none);
  if (info.title.empty()) info.title = info.id;
  if (info.brief.empty()) info.brief = info.title;
  if (!unit_from(unit)) {
    std::vector<std::string_view> symbols;
    for (Unit known : all_units()) symbols.push_back(symbol(known));
    table.tell(*table.find("unit"), fmt::format("'{}' is no unit{}", unit, did_you_mean(unit, symbols)));
  }
  const toml::node* id = table.find("id");
  if (id == nullptr) table.tell(table.table(), "a reading without 'id'; give it one, like id = \"own.efficiency\"");
  if (id != nullptr && !is_id(info.id))
    table.tell(*id,
               fmt::format("'{}' is no id; it is words of a-z, 0-9 and _ with dots between, like \"own.efficiency\"",
                           info.id));
  const auto has_id = [&](const auto& other) { return other.info.id == info.id; };
  const bool taken = std::any_of(settings.computed.begin(), settings.computed.end(), has_id) ||
                     std::any_of(settings.commands.begin(), settings.commands.end(), has_id);
  if (id != nullptr && taken) table.tell(*id, fmt::format("there are two readings '{}'; give one another id", info.id));
  return info;
}

void read_computed(TableReader& table, Settings& settings) {
  ComputedReading reading;
  reading.info = read_info(table, settings);
  table.read("formula", reading.formula);
  table.read("of", reading.of);
  table.read_word("take", reading.take, kTakes);
  read_duration(table, "over", reading.over, std::chrono::milliseconds(100), std::chrono::hours(1));
  if (reading.formula.empty() == reading.of.empty()) {
    table.tell(table.table(), "a computed reading has either 'formula' or 'of'");
  } else if (!reading.formula.empty()) {
    reading.info.source = reading.formula;
    try {
      (void)Formula(reading.formula);
    } catch (const Error& error) {
      table.tell(*table.find("formula"), error.what());
    }
  } else {
    reading.info.source = fmt::format("{} over {} s", reading.of, static_cast<double>(reading.over.count()) / kSecond);
  }
  settings.computed.push_back(std::move(reading));
}

/// Either the words of a command, or a line for the shell.
std::vector<std::string> read_words(TableReader& table) {
  std::vector<std::string> words;
  if (const toml::node* run = table.find("run")) {
    const toml::array* array = run->as_array();
    bool right = array != nullptr && !array->empty();
    for (std::size_t i = 0; right && i < array->size(); ++i) {
      const auto word = array->get(i)->value_exact<std::string>();
      right = word.has_value();
      words.push_back(word.value_or(""));
    }
    if (!right)
      table.tell(*run, "'run' is an array of strings, the program and its arguments, like [\"cat\", \"/tmp/preset\"]");
  }
  std::string line;
  table.read("shell", line);
  if (!line.empty() && words.empty()) return {"/bin/sh", "-c", line};
  if (line.empty() == words.empty())
    table.tell(table.table(), "a command has either 'run', without a shell, or 'shell', a line for one");
  return words;
}

void read_command(TableReader& table, Settings& settings) {
  CommandReading reading;
  reading.info = read_info(table, settings);
  table.read("text", reading.info.text);
  reading.command = read_words(table);
  read_duration(table, "every", reading.every, kShortestPace, kLongestPace);
  read_duration(table, "limit", reading.limit, std::chrono::milliseconds(10), std::chrono::minutes(1));
  for (const std::string& word : reading.command)
    reading.info.source += (reading.info.source.empty() ? "" : " ") + word;
  settings.commands.push_back(std::move(reading));
}

void read_feed(TableReader& table, Settings& settings) {
  FeedOptions feed;
  std::string socket;
  table.read("socket", socket);
  read_duration(table, "age", feed.age, std::chrono::milliseconds(100), std::chrono::hours(1));
  feed.socket = socket.empty() ? usual_feed_socket() : std::filesystem::path(socket);
  settings.feed = feed;
}

}  // namespace

std::string_view name_of(GpuTime choice) {
  return std::find_if(std::begin(kGpuTimes), std::end(kGpuTimes),
                      [&](const auto& word) { return word.value == choice; })
      ->word;
}

SettingsReading read_settings(std::string_view toml) {
  SettingsReading reading;
  read_toml(toml, reading.findings, [&](const toml::table& root) {
    TableReader table(root, "the settings", reading.findings);
    Settings settings;
    read_duration(table, "pace", settings.pace, kShortestPace, kLongestPace);
    read_paces(table, settings);
    read_facts(root, table, settings);
    table.read_tables("computed", limits::kOwnReadings, [&](TableReader& one) { read_computed(one, settings); });
    table.read_tables("command", limits::kOwnReadings, [&](TableReader& one) { read_command(one, settings); });
    table.read_table("feed", [&](TableReader& feed) { read_feed(feed, settings); });
    table.read("face", settings.face);
    table.read_tables("game", limits::kCells, [&](TableReader& one) { read_game(one, settings); });
    table.read_table("keys", [&](TableReader& keys) { read_keys(keys, settings.keys); });
    table.read_word("gpu_time", settings.gpu_time, kGpuTimes);
    table.done();
    if (reading.findings.empty()) reading.settings = std::move(settings);
  });
  return reading;
}

Settings load_settings(const std::filesystem::path& file) {
  SettingsReading reading = read_settings(read_toml_file(file, "settings"));
  if (!reading.settings) throw_findings(reading.findings, file);
  return std::move(*reading.settings);
}

std::filesystem::path usual_settings_path() { return user_folder("XDG_CONFIG_HOME", ".config") / "settings.toml"; }

Sources sources_with(const Settings& settings, MachineOptions options) {
  for (const auto& [id, text] : settings.facts) options.facts.insert_or_assign(id, text);
  Sources sources = machine_sources(options);
  for (const CommandReading& command : settings.commands) sources.push_back(command_source(command));
  if (settings.feed) sources.push_back(feed_source(*settings.feed));
  return sources;
}

}  // namespace idlemeter
