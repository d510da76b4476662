// The text of a TOML file while it is edited: what isn't touched stays as it is, comments, order and spacing too.
#pragma once

#include <functional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "face/format/toml_reader.hpp"

namespace idlemeter::face {

/// From the root: keys, and places in arrays from 0.
using TomlPath = std::vector<std::variant<std::string, std::size_t>>;

/// Each change throws Error if it can't be made, and leaves the text as it was.
class TomlText {
 public:
  /// Throws Error with the first finding, named by `what` ("mine.toml"), if it isn't TOML.
  TomlText(std::string text, std::string what);
  TomlText(TomlText&&) = default;
  TomlText& operator=(TomlText&&) = default;

  [[nodiscard]] TomlText copy() const { return {text_, what_}; }

  [[nodiscard]] const std::string& text() const { return text_; }
  [[nodiscard]] const toml::table& root() const { return root_; }

  /// nullptr if there is none.
  [[nodiscard]] const toml::node* find(const TomlPath& path) const;

  /// Gives a key of a table, which is there, its value: one TOML value, after which nothing else has changed. Throws
  /// Error (invalid) otherwise.
  void set(const TomlPath& table, const std::string& key, const std::string& value);

  /// Removes a key that is there, with its line if it has one of its own.
  void unset(const TomlPath& table, const std::string& key);

  /// Puts an element before the place of an array that is there or, if it is an array of tables, the sections that
  /// [[name]] begins. Elements are as element() returns them. Throws Error (invalid) if that changes anything else.
  void insert(const TomlPath& array, std::size_t place, const std::string& element);

  /// An element: its text, of a section with the header and the comment right above it.
  [[nodiscard]] std::string element(const TomlPath& array, std::size_t place) const;

  void remove(const TomlPath& array, std::size_t place);

 private:
  struct Stretch {
    std::size_t begin = 0, end = 0;
    [[nodiscard]] std::size_t size() const { return end - begin; }
  };

  [[nodiscard]] std::size_t offset(const toml::source_position& position) const;
  [[nodiscard]] Stretch stretch(const toml::node& node) const;
  [[nodiscard]] std::size_t line_start(std::size_t at) const;
  [[nodiscard]] std::size_t line_end(std::size_t at) const;  // of the line end itself
  [[nodiscard]] bool is_blank(std::size_t begin, std::size_t end) const;
  [[nodiscard]] bool alone_on_lines(const Stretch& part) const;
  [[nodiscard]] bool has_header(const toml::node& node) const;
  [[nodiscard]] bool is_sections(const toml::array& array) const;
  [[nodiscard]] Stretch section(const toml::node& table) const;
  [[nodiscard]] std::size_t section_start(std::size_t header) const;
  [[nodiscard]] std::vector<Stretch> pairs(const toml::table& table) const;
  [[nodiscard]] const toml::table& table_at(const TomlPath& path) const;
  [[nodiscard]] const toml::array& array_at(const TomlPath& path) const;

  void collect_headers(const toml::node& node, std::vector<std::size_t>& headers) const;
  void insert_pair(const TomlPath& path, const toml::table& table, const std::string& pair);
  void insert_in_array(const toml::array& array, std::size_t place, const std::string& element);
  void insert_section(const TomlPath& path, std::size_t place, const std::string& element);
  void replace(const Stretch& part, const std::string& with);
  void write(const TomlPath& table, const std::string& key, const std::string& value);
  void write_element(const TomlPath& array, std::size_t place, const std::string& element);
  void change_to(const toml::table& wanted, const std::function<void(TomlText&)>& make);

  std::string text_, what_;
  toml::table root_;
  std::vector<std::size_t> lines_;  // where each begins
};

/// A text as a TOML string in quotes.
std::string toml_string(std::string_view text);

/// A key as TOML writes it: bare if it can be.
std::string toml_key(std::string_view key);

}  // namespace idlemeter::face
