// Idle Meter: changing the settings file as a text: comments, order and spacing stay.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "idlemeter/readings/computed_readings.hpp"

namespace idlemeter {

/// A settings file's text while it is edited. Every change throws Error (invalid), and changes nothing, if there is no
/// such key, or if the settings would have more wrong with them than before (with each finding). One thread at a time.
class SettingsText {
 public:
  /// `name` is what errors call it. Throws Error if the text isn't TOML; settings with other mistakes can be fixed.
  explicit SettingsText(std::string toml, const std::string& name = "settings");
  SettingsText(SettingsText&&) noexcept;
  SettingsText& operator=(SettingsText&&) noexcept;
  ~SettingsText();

  [[nodiscard]] const std::string& toml() const;

  /// A key's value as set() takes it; empty if the text doesn't have it. Throws Error if there is no such key.
  [[nodiscard]] std::optional<std::string> value(std::string_view key) const;

  /// Gives a key its value: "pace" "500 ms", "recording.overlay" "hidden", "cues.start" "[\"speech\"]". Keys are those
  /// of settings_keys(), but for those of games, computed readings and commands. A text is written as it is meant,
  /// without quotes; anything else as TOML.
  void set(std::string_view key, std::string_view value);

  /// Removes a key, so that its default applies. A missing one is fine.
  void unset(std::string_view key);

  /// Adds a reading that a formula computes, after those that there are. Throws Error also if its id or formula is
  /// wrong, or there is one with that id.
  void add_formula(const ComputedReading& reading);

  /// Removes the computed reading with that id. Throws Error (not_found) if the file has no such reading.
  void remove_computed(std::string_view id);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// The text of a settings file; empty if the file doesn't exist. Throws Error if it can't be read.
[[nodiscard]] std::string settings_file_text(const std::filesystem::path& file);

/// Sets a key in a settings file, or resets it to its default without a value. Creates the file if it doesn't exist.
/// Throws Error as SettingsText does, or if the file can't be read or written.
void change_settings(const std::filesystem::path& file, std::string_view key, std::optional<std::string_view> value);

/// Replaces a settings file's text by what `rewrite` makes of it, while no other writer of the settings in any process
/// can. Throws Error if the file can't be read or written, and what `rewrite` throws.
void rewrite_settings(const std::filesystem::path& file, const std::function<std::string(const std::string&)>& rewrite);

/// The same with any change.
void change_settings(const std::filesystem::path& file, const std::function<void(SettingsText&)>& change);

/// A settings file's keys with their values, the defaults in brackets, and what they do: a line each.
[[nodiscard]] std::string settings_table(const std::filesystem::path& file);

}  // namespace idlemeter
