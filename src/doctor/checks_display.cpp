// The display: who shows windows here, and what Idle Meter may do there.
#include <fmt/format.h>
#include <pango/pangocairo.h>
#include <unistd.h>
#include <xcb/damage.h>

#include <cstdlib>
#include <map>
#include <memory>
#include <optional>
#include <string>

#include "doctor/checks.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/settings/settings.hpp"
#include "meter/display/above_wayland.hpp"
#include "meter/display/buttons.hpp"
#include "meter/display/keys.hpp"
#include "meter/display/portal_keys.hpp"
#include "meter/display/wayland_facts.hpp"
#include "meter/display/wayland_session.hpp"
#include "meter/display/x11.hpp"

namespace idlemeter::doctor {
namespace {

std::string variable(const char* name) {
  const char* value = std::getenv(name);
  return value == nullptr ? "" : value;
}

struct Displays {
  std::unique_ptr<meter::WaylandSession> session = meter::find_wayland_session();
  std::map<std::string, std::string> wayland =  ///< facts; empty without a compositor
      session == nullptr ? std::map<std::string, std::string>() : meter::wayland_facts(*session);
  meter::Connection x11 = meter::connect_to_display();

  [[nodiscard]] bool has_x11() const { return xcb_connection_has_error(x11.get()) == 0; }
};

HealthCheck session_check(const Displays& displays) {
  HealthCheck check{"display.session", "Session", Health::works, "", ""};
  if (!displays.wayland.empty()) {
    const auto mode = displays.wayland.find("Display");
    check.finding = fmt::format("{}{}{}", displays.wayland.at("Compositor"),
                                mode == displays.wayland.end() ? "" : ", " + mode->second,
                                displays.has_x11() ? ", and X11 beside it" : "");
  } else if (displays.has_x11()) {
    const xcb_screen_t* screen = xcb_setup_roots_iterator(xcb_get_setup(displays.x11.get())).data;
    check.finding =
        fmt::format("X11, {}, {}x{}", variable("DISPLAY"), screen->width_in_pixels, screen->height_in_pixels);
  } else {
    const std::string named = variable("WAYLAND_DISPLAY") + variable("DISPLAY");
    check = {check.id, check.subject, Health::fails,
             named.empty() ? "there is no display: neither WAYLAND_DISPLAY nor DISPLAY is set"
                           : fmt::format("the display {} doesn't answer", named),
             "use a terminal of your desktop session"};
  }
  return check;
}

HealthCheck keys_check(const Displays& displays) {
  HealthCheck check{"display.keys", "Keys", Health::works, "", ""};
  const std::string by_portal = displays.wayland.empty() ? "" : meter::problem_with_portal_keys();
  if (!displays.wayland.empty() && by_portal.empty()) {
    check.finding = "the desktop passes them on, once you have agreed";
    return check;
  }
  try {
    const meter::Keys heard({{"Ctrl+Alt+O", [] {}}});
    check.finding = "heard whatever window has the keyboard";
    if (displays.wayland.empty()) return check;
    check.finding = "heard only while a window of X11 has the keyboard: " + by_portal;
  } catch (const Error& error) {
    check.finding = displays.wayland.empty() ? error.problem() : by_portal;
  }
  check.health = Health::limited;
  check.fix = "bind commands to keys in the desktop's own settings";
  return check;
}

HealthCheck above_check(const Displays& displays) {
  HealthCheck check{"display.above", "Window above a game", Health::limited, "", ""};
  const bool has_layers = displays.session != nullptr && meter::has_layers(*displays.session);
  if (!displays.has_x11()) {
    check.finding = has_layers ? "above games of Wayland, whose frames aren't known then"
                               : "there is no X11 for it, and no compositor with layers (zwlr_layer_shell_v1)";
    return check;
  }
  const auto* damage = xcb_get_extension_data(displays.x11.get(), &xcb_damage_id);
  if (damage == nullptr || damage->present == 0) {
    check.finding = "the display doesn't report changes (DAMAGE): no frames would be counted";
    return check;
  }
  check.health = Health::works;
  check.finding = displays.wayland.empty() ? "above any window"
                  : has_layers             ? "above any game; frames of Wayland's aren't known then"
                                           : "above games of X11 only: the compositor has no layers";
  return check;
}

/// Whether the devices that the settings name can be read; nothing if they name none.
std::optional<HealthCheck> buttons_check(const Settings& settings) {
  if (settings.buttons.empty()) return std::nullopt;
  HealthCheck check{"display.buttons", "Buttons", Health::works, "", ""};
  for (const ButtonChoice& button : settings.buttons) {
    const std::string device = button.device.string();
    const meter::OpenDevice opened = meter::open_input_device(button.device);
    if (opened.fd >= 0) {
      ::close(opened.fd);
      check.finding = device + " can be read";
      continue;
    }
    return HealthCheck{check.id, check.subject, Health::limited, fmt::format("{}: {}", device, opened.problem),
                       ::access(device.c_str(), F_OK) == 0 && ::access(device.c_str(), R_OK) != 0
                           ? "sudo usermod -aG input $USER, and log in again (you may read every keyboard then)"
                           : "plug it in, or name another device in the settings"};
  }
  return check;
}

/// The defaults if the file is missing or has mistakes; another check reports mistakes.
Settings settings_of(const DoctorOptions& options) {
  try {
    return settings_in(options.settings);
  } catch (const Error&) {
    return {};
  }
}

HealthCheck fonts_check() {
  PangoFontMap* const map = pango_cairo_font_map_new();
  PangoFontFamily** families = nullptr;
  int count = 0;
  pango_font_map_list_families(map, &families, &count);
  g_free(families);
  g_object_unref(map);
  constexpr int kAliases = 3;  // sans, serif and monospace are listed without any font
  if (count > kAliases) return {"display.fonts", "Fonts", Health::works, fmt::format("{} families", count - kAliases)};
  return {"display.fonts", "Fonts", Health::fails, "no font is installed: the overlay has no letters",
          to_install("fonts-dejavu-core")};
}

}  // namespace

void check_display(Checks& checks, const DoctorOptions& options) {
  const Displays displays;
  checks.insert(checks.end(), {session_check(displays), keys_check(displays)});
  if (auto buttons = buttons_check(settings_of(options))) checks.push_back(*std::move(buttons));
  checks.insert(checks.end(), {above_check(displays), fonts_check()});
}

}  // namespace idlemeter::doctor
