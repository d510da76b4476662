#include "idlemeter/settings/chosen_face.hpp"

#include <fmt/format.h>
#include <fnmatch.h>

#include "face/format/toml_text.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/settings/settings_text.hpp"

namespace idlemeter {

using namespace face;

namespace fs = std::filesystem;

std::optional<ChosenFace> face_for(const Settings& settings, const fs::path& executable) {
  for (std::size_t i = 0; i < settings.games.size(); ++i) {
    const GameRule& rule = settings.games[i];
    const bool by_path = rule.program.find('/') != std::string::npos;
    const std::string subject = by_path ? executable.string() : executable.filename().string();
    if (::fnmatch(rule.program.c_str(), subject.c_str(), FNM_CASEFOLD) == 0) return ChosenFace{rule.face, i};
  }
  return settings.face.empty() ? std::nullopt : std::optional(ChosenFace{settings.face, {}});
}

namespace {

/// The place of the program's rule among the games; their count if it has none.
std::size_t rule_of(std::string_view program, const toml::array* games) {
  const std::size_t count = games == nullptr ? 0 : games->size();
  for (std::size_t i = 0; i < count; ++i) {
    const toml::table* rule = games->get(i)->as_table();
    if (rule != nullptr && (*rule)["program"].value_or(std::string()) == program) return i;
  }
  return count;
}

}  // namespace

std::string with_face_chosen(const std::string& settings, std::string_view face, std::string_view program) {
  TomlText text(settings, "settings");
  if (program.empty()) {
    text.set({}, "face", toml_string(face));
    return text.text();
  }
  const toml::array* games = text.root()["game"].as_array();
  const std::size_t rule = rule_of(program, games);
  if (games != nullptr && rule < games->size())
    text.set({"game", rule}, "face", toml_string(face));
  else
    text.insert({"game"}, rule,
                fmt::format("[[game]]\nprogram = {}\nface = {}", toml_string(program), toml_string(face)));
  return text.text();
}

void choose_face(const std::filesystem::path& settings, std::string_view face, std::string_view program) {
  (void)settings_in(settings);
  rewrite_settings(settings, [&](const std::string& toml) { return with_face_chosen(toml, face, program); });
}

}  // namespace idlemeter
