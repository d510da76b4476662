#include "idlemeter/settings/settings_text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <sstream>
#include <vector>

#include "base/folder_lock.hpp"
#include "face/format/toml_text.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/settings/settings_keys.hpp"

namespace idlemeter {

using namespace face;

namespace {

bool is_repeated(const FileKey& key) {
  constexpr std::string_view kTables[] = {"game", "button", "computed", "command"};
  return std::find(std::begin(kTables), std::end(kTables), key.table) != std::end(kTables);
}

/// The key, by its table and name. Throws Error with the nearest if there is none.
const FileKey& key_called(std::string_view name, const std::string& where) {
  std::vector<std::string> names;
  for (const FileKey& key : settings_keys()) {
    if (is_repeated(key)) continue;
    names.push_back(full_name(key));
    if (names.back() == name) return key;
  }
  throw Error(Error::Code::invalid,
              fmt::format("there is no setting '{}'{}", name,
                          did_you_mean(name, std::vector<std::string_view>(names.begin(), names.end()))),
              where);
}

bool is_in_quotes(KeyType type) {
  constexpr KeyType kPlain[] = {KeyType::flag,    KeyType::number, KeyType::whole, KeyType::choices,
                                KeyType::numbers, KeyType::texts,  KeyType::pair,  KeyType::named};
  return std::find(std::begin(kPlain), std::end(kPlain), type) == std::end(kPlain);
}

}  // namespace

struct SettingsText::State {
  TomlText toml;
  std::string name;

  /// Throws Error with what would be wrong that isn't now.
  void change(const std::function<void(TomlText&)>& make) {
    TomlText changed = toml.copy();
    make(changed);
    const Findings added =
        added_findings(parse_settings(toml.text()).findings, parse_settings(changed.text()).findings);
    if (!added.empty()) throw_findings(added, name);
    toml = std::move(changed);
  }
};

SettingsText::SettingsText(std::string toml, const std::string& name)
    : state_(std::make_unique<State>(State{TomlText(std::move(toml), name), name})) {}
SettingsText::SettingsText(SettingsText&&) noexcept = default;
SettingsText& SettingsText::operator=(SettingsText&&) noexcept = default;
SettingsText::~SettingsText() = default;

const std::string& SettingsText::toml() const { return state_->toml.text(); }

std::optional<std::string> SettingsText::value(std::string_view key) const {
  const FileKey& known = key_called(key, state_->name);
  TomlPath path;
  if (!known.table.empty()) path.emplace_back(std::string(known.table));
  path.emplace_back(std::string(known.name));
  const toml::node* const node = state_->toml.find(path);
  if (node == nullptr) return std::nullopt;
  if (const auto* const text = node->as_string()) return text->get();
  std::ostringstream out;
  node->visit([&out](const auto& value) { out << value; });
  return out.str();
}

void SettingsText::set(std::string_view key, std::string_view value) {
  const FileKey& known = key_called(key, state_->name);
  const std::string literal = is_in_quotes(known.type) ? toml_string(value) : std::string(value);
  const std::string name(known.name), table(known.table);
  state_->change([&](TomlText& toml) {
    if (table.empty()) return toml.set({}, name, literal);
    if (toml.find({table}) != nullptr) return toml.set({table}, name, literal);
    toml.set({}, table, fmt::format("{{ {} = {} }}", name, literal));
  });
}

void SettingsText::add_formula(const ComputedReading& reading) {
  std::string section = fmt::format("[[computed]]\nid = {}\n", toml_string(reading.info.id));
  if (!reading.info.title.empty()) section += fmt::format("title = {}\n", toml_string(reading.info.title));
  section += fmt::format("formula = {}", toml_string(reading.formula));
  if (reading.info.unit != Unit::none) section += fmt::format("\nunit = {}", toml_string(symbol(reading.info.unit)));
  state_->change([&](TomlText& toml) {
    const toml::array* const there = toml.root()["computed"].as_array();
    toml.insert({"computed"}, there == nullptr ? 0 : there->size(), section);
  });
}

void SettingsText::remove_computed(std::string_view id) {
  const toml::array* const there = state_->toml.root()["computed"].as_array();
  const std::size_t count = there == nullptr ? 0 : there->size();
  for (std::size_t i = 0; i < count; ++i) {
    const toml::table* const one = there->get(i)->as_table();
    if (one == nullptr || (*one)["id"].value_or(std::string()) != id) continue;
    return state_->change([&](TomlText& toml) { toml.remove({"computed"}, i); });
  }
  throw Error(Error::Code::not_found, fmt::format("there is no computed reading '{}'", id), state_->name);
}

void SettingsText::unset(std::string_view key) {
  const FileKey& known = key_called(key, state_->name);
  TomlPath table;
  if (!known.table.empty()) table.emplace_back(std::string(known.table));
  TomlPath path = table;
  path.emplace_back(std::string(known.name));
  state_->change([&](TomlText& toml) {
    if (toml.find(path) != nullptr) toml.unset(table, std::string(known.name));
  });
}

std::string settings_file_text(const std::filesystem::path& file) {
  std::error_code unknown;
  if (std::filesystem::status(file, unknown).type() == std::filesystem::file_type::not_found) return "";
  FileBytes read = read_regular_file(file, limits::kTomlBytes);
  if (!read.problem.empty()) throw Error(Error::Code::unreadable, read.problem, file.string());
  return std::move(read.bytes);
}

void rewrite_settings(const std::filesystem::path& file,
                      const std::function<std::string(const std::string&)>& rewrite) {
  const std::filesystem::path folder = std::filesystem::absolute(file).parent_path();
  std::error_code failed;  // replace_file() says why
  std::filesystem::create_directories(folder, failed);
  const base::FolderLock lock(folder);
  replace_file(file, rewrite(settings_file_text(file)), FileKind::toml);
}

void change_settings(const std::filesystem::path& file, const std::function<void(SettingsText&)>& change) {
  rewrite_settings(file, [&](const std::string& toml) {
    SettingsText text(toml, file.string());
    change(text);
    return text.toml();
  });
}

void change_settings(const std::filesystem::path& file, std::string_view key, std::optional<std::string_view> value) {
  change_settings(file, [&](SettingsText& text) { return value ? text.set(key, *value) : text.unset(key); });
}

std::string settings_table(const std::filesystem::path& file) {
  const SettingsText text(settings_file_text(file), file.string());
  Table table({Table::Align::left, Table::Align::left, Table::Align::left});
  table.add({"key", "value", "meaning"});
  for (const FileKey& key : settings_keys()) {
    if (is_repeated(key) || key.table == "feed") continue;
    const auto value = text.value(full_name(key));
    std::string_view usual = key.usual.empty() ? "none" : key.usual;
    if (is_in_quotes(key.type) && usual.starts_with('"')) usual = usual.substr(1, usual.size() - 2);
    table.add({full_name(key), value ? printable(*value) : fmt::format("({})", usual), plain_meaning(key)});
  }
  return table.text();
}

}  // namespace idlemeter
