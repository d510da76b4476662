#include "meter/entrance/game_facts.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <glib.h>
#include <sched.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xcb/randr.h>

#include <array>
#include <cstdlib>
#include <fstream>
#include <memory>
#include <vector>

#include "base/quiet_thread.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/version.hpp"
#include "meter/display/wayland_facts.hpp"
#include "meter/display/x11.hpp"
#include "meter/entrance/process.hpp"
#include "meter/session/game.hpp"

namespace idlemeter::meter {
namespace {

using Facts = std::map<std::string, std::string>;

/// The words after the program's own, as a shell would take them.
std::string arguments_of(int pid) {
  std::ifstream file(fmt::format("/proc/{}/cmdline", pid), std::ios::binary);
  std::vector<std::string> words;
  std::string word;
  std::getline(file, word, '\0');
  while (std::getline(file, word, '\0')) {
    const std::unique_ptr<char, decltype(&g_free)> quoted(g_shell_quote(word.c_str()), &g_free);
    const bool plain = !word.empty() && word.find_first_of(" \t\n'\"\\$`!*?;&|<>()[]{}~#") == std::string::npos;
    words.push_back(plain ? word : quoted.get());
  }
  return fmt::format("{}", fmt::join(words, " "));
}

/// "Debian GNU/Linux 12 (bookworm)"
std::string operating_system() {
  const std::unique_ptr<char, decltype(&g_free)> name(g_get_os_info(G_OS_INFO_KEY_PRETTY_NAME), &g_free);
  return name == nullptr ? "" : name.get();
}

/// Empty if it can't be read.
std::string sha256_of(int fd) {
  const std::unique_ptr<GChecksum, decltype(&g_checksum_free)> sum(g_checksum_new(G_CHECKSUM_SHA256), &g_checksum_free);
  std::vector<unsigned char> part(std::size_t{1} << 18);
  ssize_t got = 0;
  while ((got = ::read(fd, part.data(), part.size())) > 0) g_checksum_update(sum.get(), part.data(), got);
  return got < 0 ? "" : g_checksum_get_string(sum.get());
}

/// "59.94 Hz"; empty if the mode doesn't say.
std::string rate_of(const xcb_randr_mode_info_t& mode) {
  const double pixels = static_cast<double>(mode.htotal) * mode.vtotal;
  if (pixels == 0 || mode.dot_clock == 0) return "";
  double hertz = mode.dot_clock / pixels;
  if ((mode.mode_flags & XCB_RANDR_MODE_FLAG_DOUBLE_SCAN) != 0) hertz /= 2;
  if ((mode.mode_flags & XCB_RANDR_MODE_FLAG_INTERLACE) != 0) hertz *= 2;
  return fmt::format(" at {:.2f} Hz", hertz);
}

/// Of the primary output, or of the first that is on.
std::string screen_mode(xcb_connection_t* display, xcb_window_t root) {
  const auto resources = owned(xcb_randr_get_screen_resources_current_reply(
      display, xcb_randr_get_screen_resources_current(display, root), nullptr));
  if (resources == nullptr) return "";
  const auto primary =
      owned(xcb_randr_get_output_primary_reply(display, xcb_randr_get_output_primary(display, root), nullptr));
  const xcb_randr_output_t wanted = primary == nullptr ? xcb_randr_output_t{} : primary->output;
  const auto* outputs = xcb_randr_get_screen_resources_current_outputs(resources.get());
  std::vector<xcb_randr_output_t> order(outputs, outputs + resources->num_outputs);
  if (wanted != XCB_NONE) order.insert(order.begin(), wanted);
  for (const xcb_randr_output_t output : order) {
    const auto about = owned(xcb_randr_get_output_info_reply(
        display, xcb_randr_get_output_info(display, output, resources->config_timestamp), nullptr));
    if (about == nullptr || about->crtc == XCB_NONE) continue;
    const auto crtc = owned(xcb_randr_get_crtc_info_reply(
        display, xcb_randr_get_crtc_info(display, about->crtc, resources->config_timestamp), nullptr));
    if (crtc == nullptr) continue;
    const auto* modes = xcb_randr_get_screen_resources_current_modes(resources.get());
    for (int i = 0; i < resources->num_modes; ++i) {
      if (modes[i].id == crtc->mode) return fmt::format("{}x{}{}", crtc->width, crtc->height, rate_of(modes[i]));
    }
  }
  return "";
}

xcb_atom_t atom_of(xcb_connection_t* display, const std::string& name) {
  const auto atom = owned(xcb_intern_atom_reply(
      display, xcb_intern_atom(display, 0, static_cast<std::uint16_t>(name.size()), name.data()), nullptr));
  return atom == nullptr ? xcb_atom_t{} : atom->atom;
}

/// The bytes of a window's property, up to a few hundred.
std::string property_of(xcb_connection_t* display, xcb_window_t window, const std::string& name) {
  const auto got = owned(xcb_get_property_reply(
      display, xcb_get_property(display, 0, window, atom_of(display, name), XCB_ATOM_ANY, 0, 64), nullptr));
  if (got == nullptr) return "";
  return {static_cast<const char*>(xcb_get_property_value(got.get())),
          static_cast<std::size_t>(xcb_get_property_value_length(got.get()))};
}

/// The window manager's name for itself (Extended Window Manager Hints, _NET_SUPPORTING_WM_CHECK).
std::string window_manager(xcb_connection_t* display, xcb_window_t root) {
  const std::string window = property_of(display, root, "_NET_SUPPORTING_WM_CHECK");
  xcb_window_t id = XCB_NONE;
  if (window.size() < sizeof id) return "";
  std::copy_n(window.data(), sizeof id, reinterpret_cast<char*>(&id));
  return property_of(display, id, "_NET_WM_NAME");
}

std::string compositor(xcb_connection_t* display, xcb_window_t root, int screen) {
  const std::string manager = window_manager(display, root);
  const auto owner = owned(xcb_get_selection_owner_reply(
      display, xcb_get_selection_owner(display, atom_of(display, fmt::format("_NET_WM_CM_S{}", screen))), nullptr));
  if (owner == nullptr || owner->owner == XCB_NONE) return "none";
  return manager.empty() ? "unknown" : manager;
}

}  // namespace

Facts facts_of(const Game& game, const Snapshot& values) {
  Facts facts = {{"Picture", game.picture()},
                 {"Graphics API", game.attachment().api()},
                 {"Graphics driver", game.attachment().driver()},
                 {"Executable", game.program().file.string()},
                 {"Loader", game.program().loader.string()},
                 {std::string(kArgumentsFact), arguments_of(game.pid())},
                 {"Face", game.face().name()},
                 {"Idle Meter", IDLEMETER_VERSION}};
  constexpr std::array<std::pair<const char*, const char*>, 9> kFromReadings{{{"Processor", "cpu.name"},
                                                                              {"GPU", "gpu.name"},
                                                                              {"Kernel driver", "gpu.driver"},
                                                                              {"Memory", "ram.name"},
                                                                              {"Kernel", "system.kernel"},
                                                                              {"Desktop", "system.desktop"},
                                                                              {"Governor", "cpu.governor"},
                                                                              {"Energy preference", "cpu.preference"},
                                                                              {"Power profile", "system.profile"}}};
  for (const auto& [name, id] : kFromReadings) {
    const Snapshot::Entry entry = values.find(id);
    const auto* text = entry.value == nullptr ? nullptr : std::get_if<std::string>(entry.value);
    if (text != nullptr) facts[name] = *text;
  }
  std::erase_if(facts, [](const auto& fact) { return fact.second.empty(); });
  return facts;
}

std::shared_future<std::string> sha256_of(const std::string& file) {
  std::promise<std::string> promise;
  std::shared_future<std::string> future = promise.get_future().share();
  const int fd = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY);
  struct stat about {};
  if (fd < 0 || ::fstat(fd, &about) != 0 || !S_ISREG(about.st_mode)) {
    if (fd >= 0) ::close(fd);
    promise.set_value("");
    return future;
  }
  base::quiet_thread([fd, promise = std::move(promise)]() mutable {
    const sched_param none{};
    ::sched_setscheduler(0, SCHED_IDLE, &none);  // of this thread alone: sched(7)
    promise.set_value(sha256_of(fd));
    ::close(fd);
  }).detach();
  return future;
}

Facts slow_facts() {
  Facts facts = wayland_facts();
  facts.emplace("Operating system", operating_system());
  if (facts.contains("Display")) return facts;  // X11 would be an emulation
  int number = 0;
  const Connection display = connect_to_display(&number);
  if (xcb_connection_has_error(display.get()) != 0) return facts;
  auto screen = xcb_setup_roots_iterator(xcb_get_setup(display.get()));
  for (int i = 0; i < number && screen.rem > 1; ++i) xcb_screen_next(&screen);
  const xcb_window_t root = screen.data->root;
  facts["Display"] = screen_mode(display.get(), root);
  facts["Compositor"] = compositor(display.get(), root, number);
  std::erase_if(facts, [](const auto& fact) { return fact.second.empty(); });
  return facts;
}

}  // namespace idlemeter::meter
