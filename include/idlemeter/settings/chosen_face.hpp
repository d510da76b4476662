// Idle Meter: which face a game gets.
#pragma once

#include <cstddef>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

#include "idlemeter/settings/settings.hpp"

namespace idlemeter {

/// Which face a game gets: the first rule that fits its executable, else the default; empty if there is neither.
/// `rule` is the index in Settings::games.
struct ChosenFace {
  std::string face;
  std::optional<std::size_t> rule;
};
[[nodiscard]] std::optional<ChosenFace> face_for(const Settings& settings, const std::filesystem::path& executable);

/// The settings' text with this face as the default or, with a pattern, for the games that it fits; comments and order
/// stay. Throws Error if the text holds no settings.
[[nodiscard]] std::string with_face_chosen(const std::string& settings, std::string_view face,
                                           std::string_view program = {});

/// Changes a settings file, which is made if it doesn't exist, like that. Throws Error also if it can't be read or
/// written.
void choose_face(const std::filesystem::path& settings, std::string_view face, std::string_view program = {});

}  // namespace idlemeter
