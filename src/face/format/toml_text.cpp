#include "face/format/toml_text.hpp"

#include <algorithm>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/text.hpp"

namespace idlemeter::face {
namespace {

toml::table parsed(std::string_view text, const std::string& what) {
  Findings findings;
  auto root = parse_toml(text, findings);
  if (!root) throw_findings(findings, what);
  return std::move(*root);
}

/// The node at a path of a table that may be changed. It exists.
toml::node& node_in(toml::table& root, const TomlPath& path) {
  toml::node* node = &root;
  for (const auto& step : path) {
    const auto* const key = std::get_if<std::string>(&step);
    node = key != nullptr ? node->as_table()->get(*key) : node->as_array()->get(std::get<std::size_t>(step));
  }
  return *node;
}

[[noreturn]] void refuse_value(std::string_view value, const std::string& what) {
  throw Error(Error::Code::invalid, fmt::format("'{}' isn't one TOML value", printable(value)), what,
              "write a text in quotes, a number, true or false, or a list in brackets");
}

/// A table whose only key is `x`, with the value.
toml::table with_value(std::string_view value, const std::string& what) {
  Findings findings;
  auto alone = parse_toml(fmt::format("x = {}", value), findings);
  if (!alone || alone->size() != 1) refuse_value(value, what);
  return std::move(*alone);
}

/// An array that has only the element: a value, or a section with the header [[name]].
toml::array with_element(std::string_view element, const std::string& name, bool is_section, const std::string& what) {
  if (!is_section) {
    toml::array one;
    one.push_back(*with_value(element, what).get("x"));
    return one;
  }
  toml::table alone = parsed(element, what);
  toml::array* const sections = alone.size() == 1 && alone.contains(name) ? alone.get(name)->as_array() : nullptr;
  if (sections == nullptr || sections->size() != 1) refuse_value(element, what);
  return std::move(*sections);
}

}  // namespace

std::string toml_string(std::string_view text) {
  std::string quoted = "\"";
  for (char c : text) {
    if (c == '"' || c == '\\') {
      quoted += '\\';
      quoted += c;
    } else if (static_cast<unsigned char>(c) < 0x20 || c == 0x7f) {
      quoted += fmt::format("\\u{:04X}", static_cast<unsigned>(c));
    } else {
      quoted += c;
    }
  }
  return quoted + '"';
}

std::string toml_key(std::string_view key) {
  const bool bare = !key.empty() && std::all_of(key.begin(), key.end(), [](unsigned char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '-';
  });
  return bare ? std::string(key) : toml_string(key);
}

TomlText::TomlText(std::string text, std::string what)
    : text_(std::move(text)), what_(std::move(what)), root_(parsed(text_, what_)) {
  lines_ = {0};
  for (std::size_t i = 0; i < text_.size(); ++i) {
    if (text_[i] == '\n') lines_.push_back(i + 1);
  }
}

// Places.

/// Columns count characters.
std::size_t TomlText::offset(const toml::source_position& position) const {
  std::size_t at = lines_.at(position.line - 1);
  if (at == 0 && text_.starts_with("\xEF\xBB\xBF")) at = 3;
  for (std::uint32_t column = 1; column < position.column && at < text_.size(); ++column) {
    do ++at;
    while (at < text_.size() && continues_character(text_[at]));
  }
  return at;
}

TomlText::Stretch TomlText::stretch(const toml::node& node) const {
  return {offset(node.source().begin), offset(node.source().end)};
}

std::size_t TomlText::line_start(std::size_t at) const {
  return *std::prev(std::upper_bound(lines_.begin(), lines_.end(), at));
}

std::size_t TomlText::line_end(std::size_t at) const { return std::min(text_.find('\n', at), text_.size()); }

bool TomlText::is_blank(std::size_t begin, std::size_t end) const {
  return text_.find_first_not_of(" \t\r\n", begin) >= end;
}

/// Nothing else is on its lines but a comma and a comment.
bool TomlText::alone_on_lines(const Stretch& part) const {
  std::size_t after = text_.find_first_not_of(" \t\r", part.end);
  if (after < text_.size() && text_[after] == ',') after = text_.find_first_not_of(" \t\r", after + 1);
  const bool nothing_behind = after >= text_.size() || text_[after] == '\n' || text_[after] == '#';
  return is_blank(line_start(part.begin), part.begin) && nothing_behind;
}

const toml::node* TomlText::find(const TomlPath& path) const {
  const toml::node* node = &root_;
  for (const auto& step : path) {
    if (node == nullptr) return nullptr;
    if (const auto* key = std::get_if<std::string>(&step)) {
      node = node->is_table() ? node->as_table()->get(*key) : nullptr;
    } else {
      node = node->is_array() ? node->as_array()->get(std::get<std::size_t>(step)) : nullptr;
    }
  }
  return node;
}

const toml::table& TomlText::table_at(const TomlPath& path) const {
  const toml::node* node = find(path);
  if (node == nullptr || !node->is_table()) throw Error(Error::Code::not_found, "there is no such table", what_);
  return *node->as_table();
}

const toml::array& TomlText::array_at(const TomlPath& path) const {
  const toml::node* node = find(path);
  if (node == nullptr || !node->is_array()) throw Error(Error::Code::not_found, "there is no such array", what_);
  return *node->as_array();
}

/// Whether the node is a table that [name] or [[name]] begins.
bool TomlText::has_header(const toml::node& node) const {
  if (!node.is_table() || node.as_table()->is_inline() || &node == &root_) return false;
  const std::size_t at = stretch(node).begin;
  return at < text_.size() && text_[at] == '[';
}

bool TomlText::is_sections(const toml::array& array) const { return !array.empty() && has_header(*array.get(0)); }

void TomlText::collect_headers(const toml::node& node, std::vector<std::size_t>& headers) const {
  if (has_header(node)) headers.push_back(stretch(node).begin);
  if (const auto* table = node.as_table()) {
    for (const auto& [key, value] : *table) collect_headers(value, headers);
  } else if (const auto* array = node.as_array()) {
    for (const toml::node& element : *array) collect_headers(element, headers);
  }
}

/// A section begins with the comment right above its header, unless the file does.
std::size_t TomlText::section_start(std::size_t header) const {
  std::size_t start = line_start(header);
  while (start > 0) {
    const std::size_t above = line_start(start - 1), first = text_.find_first_not_of(" \t", above);
    if (text_[first] != '#') break;
    if (above == 0) return line_start(header);
    start = above;
  }
  return start;
}

/// A table with its header, up to the next header that isn't of a table in it.
TomlText::Stretch TomlText::section(const toml::node& table) const {
  std::vector<std::size_t> all, own;
  collect_headers(root_, all);
  collect_headers(table, own);
  const std::size_t header = stretch(table).begin;
  std::size_t next = text_.size();
  for (std::size_t other : all) {
    if (other > header && std::find(own.begin(), own.end(), other) == own.end()) next = std::min(next, other);
  }
  return {section_start(header), next == text_.size() ? next : section_start(next)};
}

/// The pairs of a table that are written in it, in their order.
std::vector<TomlText::Stretch> TomlText::pairs(const toml::table& table) const {
  std::vector<Stretch> found;
  const auto add = [&](const auto& self, const toml::table& from) -> void {
    for (const auto& [key, value] : from) {
      const bool sections = value.is_array() && is_sections(*value.as_array());
      const bool dotted = value.is_table() && !value.as_table()->is_inline();
      if (has_header(value) || sections) continue;
      if (dotted) {
        self(self, *value.as_table());
      } else {
        found.push_back({offset(key.source().begin), stretch(value).end});
      }
    }
  };
  add(add, table);
  std::sort(found.begin(), found.end(), [](const Stretch& a, const Stretch& b) { return a.begin < b.begin; });
  return found;
}

// Changes.

void TomlText::replace(const Stretch& part, const std::string& with) {
  std::string changed = text_;
  changed.replace(part.begin, part.size(), with);
  *this = TomlText(std::move(changed), what_);
}

/// Makes a change after which the file says what `wanted` says.
void TomlText::change_to(const toml::table& wanted, const std::function<void(TomlText&)>& make) {
  TomlText changed = copy();
  make(changed);
  if (changed.root_ != wanted)
    throw Error(Error::Code::invalid, "the change would have changed other parts of the file, too", what_,
                "change the file with an editor");
  *this = std::move(changed);
}

void TomlText::set(const TomlPath& path, const std::string& key, const std::string& value) {
  (void)table_at(path);
  toml::table wanted = root_;
  const toml::table alone = with_value(value, what_);
  node_in(wanted, path).as_table()->insert_or_assign(key, *alone.get("x"));
  change_to(wanted, [&](TomlText& text) { text.write(path, key, value); });
}

void TomlText::write(const TomlPath& path, const std::string& key, const std::string& value) {
  const toml::table& table = table_at(path);
  const toml::node* there = table.get(key);
  if (there == nullptr) return insert_pair(path, table, toml_key(key) + " = " + value);
  const bool sections = there->is_array() && is_sections(*there->as_array());
  const bool several = there->is_table() && !there->as_table()->is_inline();
  if (sections || several)
    throw Error(Error::Code::invalid, "'" + key + "' is a table of its own here", what_, "set its keys");
  replace(stretch(*there), value);
}

void TomlText::insert_pair(const TomlPath& path, const toml::table& table, const std::string& pair) {
  const auto all = pairs(table);
  if (table.is_inline()) {
    const Stretch whole = stretch(table);
    if (all.empty()) return replace(whole, "{ " + pair + " }");
    return replace({all.back().end, all.back().end}, ", " + pair);
  }
  if (!path.empty() && !has_header(table)) {  // a.b = 1: its keys are written in the table around it
    TomlPath outer(path.begin(), path.end() - 1);
    return insert_pair(outer, table_at(outer), toml_key(std::get<std::string>(path.back())) + "." + pair);
  }
  if (!all.empty()) {
    const std::size_t end = line_end(all.back().end);
    return replace({end, end}, "\n" + pair);
  }
  std::size_t at = 0;
  if (has_header(table)) {
    at = line_end(stretch(table).begin);
    return replace({at, at}, "\n" + pair);
  }
  while (at < text_.size() && text_[at] == '#') at = std::min(line_end(at) + 1, text_.size());
  const bool new_line = at > 0 && text_[at - 1] != '\n';
  replace({at, at}, (new_line ? "\n" : "") + pair + "\n");
}

void TomlText::unset(const TomlPath& path, const std::string& key) {
  const toml::table& table = table_at(path);
  const toml::node* value = table.get(key);
  if (value == nullptr) throw Error(Error::Code::not_found, "there is no '" + key + "' to remove", what_);
  if (has_header(*value)) return replace(section(*value), "");
  std::size_t begin = text_.size();
  for (const auto& [name, node] : table) {
    if (&node == value) begin = offset(name.source().begin);
  }
  Stretch pair{begin, stretch(*value).end};
  while (pair.begin > 0 && std::string_view(",{\n").find(text_[pair.begin - 1]) == std::string_view::npos) --pair.begin;
  pair.begin = text_.find_first_not_of(" \t", pair.begin);  // a.b = 1 begins with a
  if (!table.is_inline() && alone_on_lines(pair))
    return replace({line_start(pair.begin), std::min(line_end(pair.end) + 1, text_.size())}, "");
  const auto all = pairs(table);
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (all[i].end != pair.end) continue;
    if (all.size() == 1) return replace(stretch(table), "{}");
    return i + 1 < all.size() ? replace({pair.begin, all[i + 1].begin}, "") : replace({all[i - 1].end, pair.end}, "");
  }
}

std::string TomlText::element(const TomlPath& path, std::size_t place) const {
  const toml::array& array = array_at(path);
  if (place >= array.size()) throw Error(Error::Code::not_found, "there is no such element", what_);
  const bool sections = is_sections(array);
  const Stretch part = sections ? section(*array.get(place)) : stretch(*array.get(place));
  std::string text = text_.substr(part.begin, part.size());
  while (sections && !text.empty() && (text.back() == '\n' || text.back() == ' ')) text.pop_back();
  return text;
}

void TomlText::insert(const TomlPath& path, std::size_t place, const std::string& element) {
  const toml::node* const there = find(path);
  const bool is_array = there != nullptr && there->is_array();
  const bool is_section = !is_array || is_sections(*there->as_array());
  const std::string name = std::get<std::string>(path.back());
  const toml::array one = with_element(element, name, is_section, what_);
  toml::table wanted = root_;
  if (is_array) {
    toml::array& array = *node_in(wanted, path).as_array();
    array.insert(array.begin() + static_cast<std::ptrdiff_t>(std::min(place, array.size())), one.front());
  } else {
    const TomlPath outer(path.begin(), path.end() - 1);
    (void)table_at(outer);
    node_in(wanted, outer).as_table()->insert_or_assign(name, one);
  }
  change_to(wanted, [&](TomlText& text) { text.write_element(path, place, element); });
}

void TomlText::write_element(const TomlPath& path, std::size_t place, const std::string& element) {
  const toml::node* node = find(path);
  if (node != nullptr && node->is_array() && !is_sections(*node->as_array()))
    return insert_in_array(*node->as_array(), place, element);
  insert_section(path, place, element);
}

/// Between sections there is an empty line.
void TomlText::insert_section(const TomlPath& path, std::size_t place, const std::string& element) {
  const toml::node* node = find(path);
  std::size_t at = text_.size();
  if (node != nullptr && place < array_at(path).size()) {
    at = section(*array_at(path).get(place)).begin;
  } else if (node != nullptr) {
    at = section(*array_at(path).get(array_at(path).size() - 1)).end;
  }
  std::string before;
  if (at > 0 && text_[at - 1] != '\n') before += "\n";
  if (at > 0 && !is_blank(line_start(at - 1), at)) before += "\n";
  replace({at, at}, before + element + (at < text_.size() ? "\n\n" : "\n"));
}

void TomlText::insert_in_array(const toml::array& array, std::size_t place, const std::string& element) {
  const Stretch whole = stretch(array);
  if (array.empty()) return replace(whole, "[ " + element + " ]");
  const bool at_end = place >= array.size();
  const Stretch near = stretch(*array.get(at_end ? array.size() - 1 : place));
  const bool own_line = alone_on_lines(near);
  const std::string indent = text_.substr(line_start(near.begin), near.begin - line_start(near.begin));
  if (!at_end) return replace({near.begin, near.begin}, element + (own_line ? ",\n" + indent : ", "));
  if (!own_line) return replace({near.end, near.end}, ", " + element);
  // A comment after the last element stays with it.
  const std::size_t end = line_end(near.end);
  const std::size_t comma = text_.find_first_not_of(" \t", near.end);
  if (comma < text_.size() && text_[comma] == ',') return replace({end, end}, "\n" + indent + element + ",");
  const std::string rest = text_.substr(near.end, end - near.end);
  replace({near.end, end}, "," + rest + "\n" + indent + element);
}

void TomlText::remove(const TomlPath& path, std::size_t place) {
  const toml::array& array = array_at(path);
  if (place >= array.size()) throw Error(Error::Code::not_found, "there is no such element", what_);
  if (is_sections(array)) return replace(section(*array.get(place)), "");
  const Stretch part = stretch(*array.get(place));
  const bool last = place + 1 == array.size();
  if (alone_on_lines(part))
    return replace({line_start(part.begin), std::min(line_end(part.end) + 1, text_.size())}, "");
  if (!last) return replace({part.begin, stretch(*array.get(place + 1)).begin}, "");
  if (place > 0) return replace({stretch(*array.get(place - 1)).end, part.end}, "");
  replace(stretch(array), "[]");
}

}  // namespace idlemeter::face
