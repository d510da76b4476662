// Reads TOML tables by known keys and collects everything that is wrong on the way.
#pragma once

#include <fmt/format.h>

#include <filesystem>
#include <functional>
#include <initializer_list>
#include <span>
#include <string>
#include <string_view>
#include <vector>

// toml++ 3.3 asserts, and with NDEBUG promises the compiler, that a table's header begins with a key; "[=" does not,
// and the code after the assertion handles it well. Without the assertion there is neither an abort nor undefined
// behaviour.
#pragma push_macro("NDEBUG")
#undef NDEBUG
#define TOML_ASSERT(expression) static_cast<void>(0)
#define TOML_EXCEPTIONS 1
#include <toml++/toml.h>
#pragma pop_macro("NDEBUG")

#include "base/enum_names.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/file_keys.hpp"

namespace idlemeter::face {

using Findings = std::vector<Finding>;

inline void report(Findings& findings, const toml::source_region& where, std::string message) {
  findings.push_back({Finding::Severity::error, where.begin.line, where.begin.column, std::move(message)});
}

/// The whole file. Throws Error, naming what it should hold ("face"), if it can't be read.
std::string read_toml_file(const std::filesystem::path& file, std::string_view what);

/// The parsed text; empty, with a finding, if it isn't TOML. Copies of a table forget where its parts are.
std::optional<toml::table> parse_toml(std::string_view text, Findings& findings);

/// Calls `read` with the parsed text; a text that isn't TOML is a finding. Findings are in the order of the text
/// afterwards.
void read_toml(std::string_view text, Findings& findings, const std::function<void(const toml::table&)>& read);

/// Throws Error with a line for each finding.
[[noreturn]] void throw_findings(const Findings& findings, const std::filesystem::path& file);

/// Those that weren't there before, by their messages: a line may be another after a change.
Findings added_findings(const Findings& before, Findings after);

/// "a string", "a whole number" … for people.
std::string_view kind_name(toml::node_type type);

using base::Word;

/// One table. Each key that is asked for is known; done() reports the others.
class TableReader {
 public:
  /// `name`: the table's among the keys that a file may have, which say the ranges of numbers.
  TableReader(const toml::table& table, std::string what, Findings& findings, std::span<const FileKey> keys,
              std::string_view name = "")
      : table_(table), what_(std::move(what)), findings_(findings), keys_(keys), name_(name) {}

  /// The node under the key, or nullptr; the key counts as known either way.
  const toml::node* find(std::string_view key);

  void read(std::string_view key, std::string& into);
  void read(std::string_view key, std::optional<std::string>& into);
  void read(std::string_view key, bool& into);

  /// Numbers in the key's range.
  void read(std::string_view key, double& into);
  void read(std::string_view key, std::optional<double>& into);
  void read(std::string_view key, std::optional<int>& into);

  void read(std::string_view key, Color& into);
  void read(std::string_view key, std::optional<Color>& into);

  template <typename T, std::size_t N>
  void read_word(std::string_view key, T& into, const Word<T> (&words)[N]);

  /// Reads what is under the key with `reader(table, what)` if it is a table.
  void read_table(std::string_view key, const std::function<void(TableReader&)>& reader);

  /// The same for each table of an array, in order. An array of more than `most` is a finding, and isn't read.
  /// `name`: that of each; else the key.
  void read_tables(std::string_view key, std::size_t most, const std::function<void(TableReader&)>& reader,
                   std::string_view name = "");

  /// What is known of a key of this table.
  [[nodiscard]] const FileKey& about(std::string_view key) const;

  /// Reports every key that wasn't asked for.
  void done();

  void report(const toml::node& where, std::string message) {
    face::report(findings_, where.source(), std::move(message));
  }
  [[nodiscard]] const toml::table& table() const { return table_; }

 private:
  /// The node if it is of type T, else a finding.
  template <typename T>
  const T* expect(std::string_view key, std::string_view wanted);
  void wrong_kind(std::string_view key, const toml::node& node, std::string_view wanted);
  void wrong_word(std::string_view key, const toml::node& node, const std::string& word,
                  const std::vector<std::string_view>& words);

  const toml::table& table_;
  std::string what_;  // "the face", "a row"
  Findings& findings_;
  std::span<const FileKey> keys_;
  std::string_view name_;
  std::vector<std::string_view> known_;
};

template <typename T, std::size_t N>
void TableReader::read_word(std::string_view key, T& into, const Word<T> (&words)[N]) {
  const toml::node* node = find(key);
  if (node == nullptr) return;
  const auto text = node->value_exact<std::string>();
  if (!text) return wrong_kind(key, *node, "a string");
  std::vector<std::string_view> all;
  for (const Word<T>& word : words) {
    if (word.word == *text) {
      into = word.value;
      return;
    }
    all.push_back(word.word);
  }
  wrong_word(key, *node, *text, all);
}

}  // namespace idlemeter::face
