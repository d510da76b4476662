#include "face/format/toml_reader.hpp"

#include <fmt/ranges.h>

#include <algorithm>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/face/color.hpp"

namespace idlemeter::face {

std::string read_toml_file(const std::filesystem::path& file, std::string_view what) {
  FileBytes read = read_regular_file(file, limits::kTomlBytes);
  if (!read.problem.empty())
    throw Error(Error::Code::unreadable, fmt::format("cannot read the {} ({})", what, read.problem), file.string(),
                "name a TOML file");
  return std::move(read.bytes);
}

void throw_findings(const Findings& findings, const std::filesystem::path& file) {
  std::string all;
  for (const Finding& finding : findings) {
    if (&finding - findings.data() == limits::kFindings) {
      all += fmt::format("\n{}: … and {} more", file.string(), findings.size() - limits::kFindings);
      break;
    }
    all += (all.empty() ? "" : "\n") + to_string(finding, file.string());
  }
  throw Error(Error::Code::invalid, all);
}

namespace {

/// Where a quoted text that starts here ends, npos if it doesn't. `mark`: its quotes, one or three.
std::size_t end_of_string(std::string_view text, std::size_t start, std::string_view mark) {
  const bool escapes = mark[0] == '"', one_line = mark.size() == 1;
  for (std::size_t i = start + mark.size(); i < text.size(); ++i) {
    if (one_line && text[i] == '\n') return std::string_view::npos;
    if (escapes && text[i] == '\\') {
      ++i;
    } else if (text.substr(i).starts_with(mark)) {
      std::size_t end = i + mark.size();
      while (!one_line && end < text.size() && text[end] == mark[0]) ++end;  // """a"""" ends in a quote of its own
      return end;
    }
  }
  return std::string_view::npos;
}

/// The first byte beyond ASCII after a backslash, or after the white space that one leaves out. Within three quotes.
std::optional<std::size_t> stray_after_backslash(std::string_view text, std::size_t start, std::size_t end) {
  for (std::size_t i = start; i + 1 < end; ++i) {
    if (text[i] != '\\') continue;
    const std::size_t next = text.find_first_not_of(" \t\r\n\v\f", i + 1);
    if (next < end && static_cast<unsigned char>(text[next]) >= 0x80) return next;
    ++i;
  }
  return std::nullopt;
}

/// Whether a quote begins a text here. After a bare word it doesn't: toml++ goes on with the word to report what is
/// wrong.
bool begins_string(std::string_view text, std::size_t quote) {
  const std::size_t before = text.substr(0, quote).find_last_not_of(" \t");
  return before == std::string_view::npos ||
         std::string_view("=[,{.\n\xBF").find(text[before]) != std::string_view::npos;
}

struct Stray {
  std::size_t place;
  std::string message;
};

/// Counts how deep a text nests: toml++ calls itself for each bracket, and for each dot of a key when the table goes.
class Nesting {
 public:
  /// Takes the next character outside of quotes and comments; false if the text is deeper than it may be there.
  bool take(char c) {
    if (c == '[' || c == '{') ++brackets_;
    if ((c == ']' || c == '}') && brackets_ > 0) --brackets_;
    if (c == '.') ++dots_;
    if (std::string_view("\n=,[{").find(c) != std::string_view::npos) dots_ = 0;
    if (c == '\n' && at_header_) brackets_ = 0;  // a header that isn't closed is a mistake of its own
    if (c == '[' && line_is_empty_) at_header_ = true;
    if (c == '\n') at_header_ = false;
    line_is_empty_ = c == '\n' || (line_is_empty_ && (c == ' ' || c == '\t'));
    return brackets_ <= limits::kTomlNesting && dots_ <= limits::kTomlNesting;
  }

 private:
  std::size_t brackets_ = 0, dots_ = 0;
  bool line_is_empty_ = true, at_header_ = false;
};

/// The first byte beyond ASCII outside of quotes and comments, where TOML 1.0 has none, or if toml++ 3.3 takes it
/// for white space: it has undefined behaviour on some of them (is_non_ascii_horizontal_whitespace), so that it never
/// gets to see one; or the place where the text nests too deep. Empty if there is none; toml++ reports a text that
/// ends within quotes.
std::optional<Stray> stray_character(std::string_view text) {
  constexpr const char* kBare =
      "a character that TOML takes only in quotes or after #; quote the text, like label = \"Höhe\"";
  constexpr const char* kBehind = "a letter beyond ASCII can't follow a \\ here; write the text on one line, or \\\\";
  Nesting nesting;
  for (std::size_t i = text.starts_with("\xEF\xBB\xBF") ? 3 : 0; i < text.size();) {
    const char c = text[i];
    if (static_cast<unsigned char>(c) >= 0x80) return Stray{i, kBare};
    if (!nesting.take(c)) return Stray{i, fmt::format("nested deeper than {} levels", limits::kTomlNesting)};
    if (c == '#') {
      i = std::min(text.find('\n', i), text.size());
    } else if ((c == '"' || c == '\'') && begins_string(text, i)) {
      const bool three = text.substr(i).starts_with(std::string(3, c));
      const std::size_t start = i;
      i = end_of_string(text, i, std::string(three ? 3 : 1, c));
      const auto behind =
          three && c == '"' ? stray_after_backslash(text, start, std::min(i, text.size())) : std::nullopt;
      if (behind) return Stray{*behind, kBehind};
      if (i == std::string_view::npos) return std::nullopt;
    } else {
      ++i;
    }
  }
  return std::nullopt;
}

/// Line and column of a byte, in characters.
Finding finding_at(std::string_view text, std::size_t place, std::string message) {
  const std::string_view before = text.substr(0, place);
  const std::size_t line_start = before.rfind('\n') == std::string_view::npos ? 0 : before.rfind('\n') + 1;
  return {Finding::Severity::error, static_cast<std::uint32_t>(std::count(before.begin(), before.end(), '\n') + 1),
          static_cast<std::uint32_t>(characters(before.substr(line_start)) + 1), std::move(message)};
}

}  // namespace

std::optional<toml::table> parse_toml(std::string_view text, Findings& findings) {
  if (text.size() > limits::kTomlBytes) {
    findings.push_back(
        {Finding::Severity::error, 1, 1,
         fmt::format("the text has {} KiB; up to {} are taken", (text.size() + 1023) >> 10, limits::kTomlBytes >> 10)});
    return std::nullopt;
  }
  if (const auto stray = stray_character(text)) {
    findings.push_back(finding_at(text, stray->place, stray->message));
    return std::nullopt;
  }
  try {
    return toml::parse(text);
  } catch (const toml::parse_error& error) {
    report(findings, error.source(), std::string(error.description()));
    return std::nullopt;
  }
}

void read_toml(std::string_view text, Findings& findings, const std::function<void(const toml::table&)>& read) {
  if (const auto root = parse_toml(text, findings)) read(*root);
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
  report(node, fmt::format("'{}' of {} is {}, not {}", key, what_, wanted, kind_name(node.type())));
}

void TableReader::wrong_word(std::string_view key, const toml::node& node, const std::string& word,
                             const std::vector<std::string_view>& words) {
  const std::string hint = did_you_mean(word, words);
  report(node, fmt::format("'{}' can't be '{}'{}", key, word,
                           hint.empty() ? fmt::format("; it is one of '{}'", fmt::join(words, "', '")) : hint));
}

void TableReader::read(std::string_view key, std::optional<std::string>& into) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  into = node->value_exact<std::string>();
  if (!into) wrong_kind(key, *node, "a string");
}

void TableReader::read(std::string_view key, std::string& into) {
  std::optional<std::string> text;
  read(key, text);
  into = std::move(text).value_or(into);
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

void TableReader::read(std::string_view key, std::optional<double>& into) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  const auto value = node->is_number() ? node->value<double>() : std::nullopt;
  if (!value) return wrong_kind(key, *node, "a number");
  const auto [least, most] = std::pair(about(key).least, about(key).most);
  if (!(*value >= least && *value <= most)) {
    return report(*node, fmt::format("'{}' of {} must be from {} to {}, not {}", key, what_, least, most, *value));
  }
  into = value;
}

void TableReader::read(std::string_view key, double& into) {
  std::optional<double> value;
  read(key, value);
  into = value.value_or(into);
}

void TableReader::read(std::string_view key, std::optional<int>& into) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  const auto value = node->value_exact<std::int64_t>();
  if (!value) return wrong_kind(key, *node, "a whole number");
  const auto [least, most] = std::pair(std::int64_t(about(key).least), std::int64_t(about(key).most));
  if (*value < least || *value > most) {
    return report(*node, fmt::format("'{}' of {} must be from {} to {}, not {}", key, what_, least, most, *value));
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
    return report(
        *node, fmt::format("'{}' isn't a colour; write it like \"#8fd694\", or \"#8fd694cc\" with its opacity", *text));
  into = color;
}

void TableReader::read(std::string_view key, Color& into) {
  std::optional<Color> color;
  read(key, color);
  into = color.value_or(into);
}

Findings added_findings(const Findings& before, Findings after) {
  for (const Finding& old : before) {
    const auto same =
        std::find_if(after.begin(), after.end(), [&](const Finding& one) { return one.message == old.message; });
    if (same != after.end()) after.erase(same);
  }
  return after;
}

const FileKey& TableReader::about(std::string_view key) const {
  const FileKey* found = find_key(keys_, name_, key);
  if (found == nullptr) throw Error(Error::Code::misuse, fmt::format("'{}' isn't a key of {}", key, what_));
  return *found;
}

void TableReader::read_table(std::string_view key, const std::function<void(TableReader&)>& reader) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  if (!node->is_table()) return wrong_kind(key, *node, "a table like { … }");
  TableReader inner(*node->as_table(), fmt::format("'{}'", key), findings_, keys_, key);
  reader(inner);
  inner.done();
}

void TableReader::read_tables(std::string_view key, std::size_t most, const std::function<void(TableReader&)>& reader,
                              std::string_view name) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  if (!node->is_array()) return wrong_kind(key, *node, "an array of tables");
  if (node->as_array()->size() > most) {
    const toml::node& first_beyond = *node->as_array()->get(most);
    return report(first_beyond,
                  fmt::format("{} has {} of '{}'; up to {} are taken", what_, node->as_array()->size(), key, most));
  }
  for (const toml::node& element : *node->as_array()) {
    if (!element.is_table()) {
      report(element, fmt::format("each of '{}' is a table, not {}", key, kind_name(element.type())));
      continue;
    }
    TableReader inner(*element.as_table(), fmt::format("'{}'", key), findings_, keys_, name.empty() ? key : name);
    reader(inner);
    inner.done();
  }
}

void TableReader::done() {
  for (const auto& [key, node] : table_) {
    const std::string_view name = key.str();
    if (std::find(known_.begin(), known_.end(), name) != known_.end()) continue;
    const std::string hint = did_you_mean(name, known_);
    face::report(findings_, key.source(),
                 fmt::format("{} has no key '{}'{}", what_, name,
                             hint.empty() ? fmt::format("; it has '{}'", fmt::join(known_, "', '")) : hint));
  }
}

}  // namespace idlemeter::face
