#include "settings/read_controls.hpp"

#include <fmt/format.h>
#include <libevdev/libevdev.h>

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "base/key_chord.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/text.hpp"

namespace idlemeter::settings {

using namespace base;
using namespace face;

namespace {

constexpr Word<ButtonAction> kButtonActions[] = {{"show", ButtonAction::show},
                                                 {"clear", ButtonAction::clear},
                                                 {"record", ButtonAction::record},
                                                 {"face", ButtonAction::face},
                                                 {"mark", ButtonAction::mark}};

/// "; did you mean 'BTN_MODE'?"
std::string did_you_mean_button(std::string_view name) {
  std::vector<std::string_view> names;
  for (unsigned code = 0; code < KEY_CNT; ++code) {
    if (const char* known = libevdev_event_code_get_name(EV_KEY, code)) names.emplace_back(known);
  }
  return did_you_mean(name, names);
}

}  // namespace

void read_keys(TableReader& table, KeyChoices& keys) {
  const std::pair<const char*, std::string*> kChoices[] = {{"show", &keys.show},
                                                           {"clear", &keys.clear},
                                                           {"record", &keys.record},
                                                           {"face", &keys.face},
                                                           {"mark", &keys.mark}};
  std::map<std::string, const char*> taken;
  for (const auto& [name, key] : kChoices) {
    table.read(name, *key);
    if (key->empty()) continue;
    const auto chord = key_chord_from(*key);
    const toml::node& where = table.table().contains(name) ? *table.table().get(name) : table.table();
    if (!chord) {
      table.report(where,
                   fmt::format("'{}' isn't a key; write it like \"Ctrl+Alt+O\", with Shift, Ctrl, Alt, Super", *key));
      continue;
    }
    *key = to_string(*chord);
    const auto [other, is_new] = taken.try_emplace(lower_case(*key), name);  // F9 and f9 are one key
    if (!is_new)
      table.report(where, fmt::format("'{}' and '{}' have the same key '{}'; choose another for one of them",
                                      other->second, name, *key));
  }
}

void read_button(TableReader& table, Settings& settings) {
  ButtonChoice button;
  std::string device, press;
  table.read("device", device);
  table.read("press", press);
  table.read_word("does", button.does, kButtonActions);
  button.device = device;
  if (button.device.is_relative() || press.empty())
    return table.report(
        table.table(),
        "a button has a 'device', a whole path, and 'press', like \"BTN_MODE\" or \"BTN_MODE+BTN_WEST\"");
  for (const std::string& name : split(press, '+')) {
    const int code = libevdev_event_code_from_name(EV_KEY, name.c_str());
    if (code < 0)
      return table.report(*table.table().get("press"),
                          fmt::format("there is no button '{}'{}", name, did_you_mean_button(name)));
    button.codes.push_back(static_cast<std::uint16_t>(code));
  }
  settings.buttons.push_back(std::move(button));
}

}  // namespace idlemeter::settings
