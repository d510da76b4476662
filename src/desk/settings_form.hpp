// The settings as the page shows and changes them.
#pragma once

#include <filesystem>
#include <mutex>
#include <string>

#include "desk/readings.hpp"
#include "desk/wire.hpp"

namespace idlemeter::desk {

/// Any thread. Everything throws Error.
class SettingsForm {
 public:
  SettingsForm(std::filesystem::path file, Readings& readings) : file_(std::move(file)), readings_(readings) {}

  /// The keys that there are, the file's own values, what is wrong with it, and the computed readings.
  [[nodiscard]] Json show();

  /// Gives a key a value, or its default.
  [[nodiscard]] Json set(const Json& question);

  /// Adds a reading that a formula computes, or removes one.
  [[nodiscard]] Json add_formula(const Json& question);
  [[nodiscard]] Json remove_computed(const Json& question);

  /// What a formula gives now.
  [[nodiscard]] Json try_formula(const std::string& formula, const std::string& unit);

  /// Gives a cue as the settings say.
  [[nodiscard]] Json give_cue(const Json& question);

 private:
  [[nodiscard]] Json described() const;

  std::filesystem::path file_;
  Readings& readings_;
  std::mutex mutex_;
};

}  // namespace idlemeter::desk
