// idlemeter settings: the settings file, read and changed.
#include "idlemeter/settings/settings.hpp"

#include <memory>
#include <string>

#include "commands.hpp"
#include "idlemeter/settings/settings_text.hpp"
#include "output.hpp"

namespace idlemeter::cli {
namespace {

struct SettingsArgs {
  std::string file = usual_settings_path(), key, value;
};

int show_settings(const SettingsArgs& options) {
  print("{}\n\n{}", options.file, settings_table(options.file));
  return 0;
}

int set_setting(const SettingsArgs& options) {
  change_settings(options.file, options.key, options.value);
  print("{}: {} is {}\n", options.file, options.key, options.value);
  return 0;
}

int unset_setting(const SettingsArgs& options) {
  change_settings(options.file, options.key, std::nullopt);
  print("{}: {} has its default\n", options.file, options.key);
  return 0;
}

}  // namespace

void add_settings_command(Command app) {
  const auto options = std::make_shared<SettingsArgs>();
  Command settings = app.add("settings", "Show the settings, or change one in their file, with its comments kept",
                             [options] { return show_settings(*options); });
  settings.option("--settings", options->file, "The settings file").shows_default();
  const auto add_change = [&](const char* name, const char* about, int (*change)(const SettingsArgs&)) {
    Command command = settings.add(name, about, [options, change] { return change(*options); });
    command.option("--settings", options->file, "The settings file").shows_default();
    command.option("KEY", options->key, "As 'idlemeter settings' lists them, like pace or keys.show").required();
    return command;
  };
  add_change("set", "Give a key a value", &set_setting)
      .option("VALUE", options->value, "As in the file, texts without quotes: '1 s', Ctrl+Alt+O, '[\"speech\"]'")
      .required();
  add_change("unset", "Give a key its default", &unset_setting);
}

}  // namespace idlemeter::cli
