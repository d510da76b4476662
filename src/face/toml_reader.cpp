#include "face/toml_reader.hpp"

#include <fmt/ranges.h>

#include <algorithm>
#include <fstream>
#include <iterator>

#include "idlemeter/error.hpp"

namespace idlemeter {

std::string read_toml_file(const std::filesystem::path& file, std::string_view what) {
  std::ifstream stream(file, std::ios::binary);
  if (std::filesystem::is_directory(file) || !stream)
    throw Error(fmt::format("cannot read the {}", what), file.string(), "name a TOML file");
  return {std::istreambuf_iterator<char>(stream), std::istreambuf_iterator<char>()};
}

void throw_findings(const Findings& findings, const std::filesystem::path& file) {
  std::string all;
  for (const Finding& finding : findings) all += (all.empty() ? "" : "\n") + to_string(finding, file.string());
  throw Error(all);
}

void read_toml(std::string_view text, Findings& findings, const std::function<void(const toml::table&)>& read) {
  try {
    read(toml::parse(text));
  } catch (const toml::parse_error& error) {
    tell(findings, error.source(), std::string(error.description()));
  }
  std::stable_sort(findings.begin(), findings.end(), [](const Finding& a, const Finding& b) {
    return std::pair(a.line, a.column) < std::pair(b.line, b.column);
  });
}

std::string_view kind_name(toml::node_type type) {
  switch (type) {
    case toml::node_type::table:
      return "a table";
    case toml::node_type::array:
      return "an array";
    case toml::node_type::string:
      return "a string";
    case toml::node_type::integer:
      return "a whole number";
    case toml::node_type::floating_point:
      return "a number";
    case toml::node_type::boolean:
      return "true or false";
    default:
      return "a date or time";
  }
}

const toml::node* TableReader::find(std::string_view key) {
  known_.push_back(key);
  return table_.get(key);
}

void TableReader::wrong_kind(std::string_view key, const toml::node& node, std::string_view wanted) {
  tell(node, fmt::format("'{}' of {} is {}, not {}", key, what_, wanted, kind_name(node.type())));
}

void TableReader::wrong_word(std::string_view key, const toml::node& node, const std::string& word,
                             const std::vector<std::string_view>& words) {
  const std::string hint = did_you_mean(word, words);
  tell(node, fmt::format("'{}' is no {}{}", word, key,
                         hint.empty() ? fmt::format("; it is one of '{}'", fmt::join(words, "', '")) : hint));
}

void TableReader::read(std::string_view key, std::string& into) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  if (const auto text = node->value_exact<std::string>()) {
    into = *text;
  } else {
    wrong_kind(key, *node, "a string");
  }
}

void TableReader::read(std::string_view key, bool& into) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  if (const auto value = node->value_exact<bool>()) {
    into = *value;
  } else {
    wrong_kind(key, *node, "true or false");
  }
}

void TableReader::read(std::string_view key, std::optional<double>& into, double least, double most) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  const auto value = node->is_number() ? node->value<double>() : std::nullopt;
  if (!value) return wrong_kind(key, *node, "a number");
  if (!(*value >= least && *value <= most)) {
    return tell(*node, fmt::format("'{}' of {} is from {} to {}, not {}", key, what_, least, most, *value));
  }
  into = value;
}

void TableReader::read(std::string_view key, double& into, double least, double most) {
  std::optional<double> value;
  read(key, value, least, most);
  into = value.value_or(into);
}

void TableReader::read(std::string_view key, std::optional<int>& into, int least, int most) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  const auto value = node->value_exact<std::int64_t>();
  if (!value) return wrong_kind(key, *node, "a whole number");
  if (*value < least || *value > most) {
    return tell(*node, fmt::format("'{}' of {} is from {} to {}, not {}", key, what_, least, most, *value));
  }
  into = static_cast<int>(*value);
}

void TableReader::read(std::string_view key, std::optional<Color>& into) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  const auto text = node->value_exact<std::string>();
  const auto color = text ? color_from(*text) : std::nullopt;
  if (!text) return wrong_kind(key, *node, "a colour in quotes");
  if (!color)
    return tell(*node,
                fmt::format("'{}' is no colour; write it like \"#8fd694\", or \"#8fd694cc\" with its opacity", *text));
  into = color;
}

void TableReader::read(std::string_view key, Color& into) {
  std::optional<Color> color;
  read(key, color);
  into = color.value_or(into);
}

void TableReader::read_table(std::string_view key, const std::function<void(TableReader&)>& reader) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  if (!node->is_table()) return wrong_kind(key, *node, "a table like { … }");
  TableReader inner(*node->as_table(), fmt::format("'{}'", key), findings_);
  reader(inner);
  inner.done();
}

void TableReader::read_tables(std::string_view key, const std::function<void(TableReader&)>& reader) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  if (!node->is_array()) return wrong_kind(key, *node, "an array of tables");
  for (const toml::node& element : *node->as_array()) {
    if (!element.is_table()) {
      tell(element, fmt::format("each of '{}' is a table, not {}", key, kind_name(element.type())));
      continue;
    }
    TableReader inner(*element.as_table(), fmt::format("'{}'", key), findings_);
    reader(inner);
    inner.done();
  }
}

void TableReader::done() {
  for (const auto& [key, node] : table_) {
    const std::string_view name = key.str();
    if (std::find(known_.begin(), known_.end(), name) != known_.end()) continue;
    const std::string hint = did_you_mean(name, known_);
    idlemeter::tell(findings_, key.source(),
                    fmt::format("{} has no key '{}'{}", what_, name,
                                hint.empty() ? fmt::format("; it has '{}'", fmt::join(known_, "', '")) : hint));
  }
}

}  // namespace idlemeter
