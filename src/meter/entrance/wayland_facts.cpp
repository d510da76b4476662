// What a Wayland compositor says of itself and its outputs (wayland.xml: wl_registry, wl_output).
#include "meter/entrance/wayland_facts.hpp"

#include <fmt/format.h>
#include <poll.h>
#include <sys/socket.h>
#include <wayland-client.h>

#include <algorithm>
#include <cstdarg>
#include <cstdlib>
#include <list>
#include <memory>
#include <string_view>

#include "idlemeter/base/time.hpp"
#include "meter/entrance/process.hpp"

namespace idlemeter::meter {
namespace {

struct Output {
  wl_output* handle = nullptr;
  std::string mode;
  std::int32_t scale = 1;
};

void take_mode(void* data, wl_output*, std::uint32_t flags, std::int32_t width, std::int32_t height,
               std::int32_t millihertz) {
  if ((flags & WL_OUTPUT_MODE_CURRENT) == 0) return;
  static_cast<Output*>(data)->mode =
      fmt::format("{}x{}{}", width, height, millihertz > 0 ? fmt::format(" at {:.2f} Hz", millihertz / 1e3) : "");
}

constexpr wl_output_listener kOutput = {
    .geometry = [](void*, wl_output*, std::int32_t, std::int32_t, std::int32_t, std::int32_t, std::int32_t, const char*,
                   const char*, std::int32_t) {},
    .mode = &take_mode,
    .done = [](void*, wl_output*) {},
    .scale = [](void* data, wl_output*, std::int32_t factor) { static_cast<Output*>(data)->scale = factor; },
    .name = [](void*, wl_output*, const char*) {},
    .description = [](void*, wl_output*, const char*) {}};

void add_global(void* data, wl_registry* registry, std::uint32_t name, const char* interface, std::uint32_t version) {
  if (std::string_view(interface) != wl_output_interface.name) return;
  Output& output = static_cast<std::list<Output>*>(data)->emplace_back();
  output.handle =
      static_cast<wl_output*>(wl_registry_bind(registry, name, &wl_output_interface, std::min(version, 2u)));
  wl_output_add_listener(output.handle, &kOutput, &output);
}

constexpr wl_registry_listener kRegistry = {.global = &add_global,
                                            .global_remove = [](void*, wl_registry*, std::uint32_t) {}};

/// Lets the compositor answer what was asked; a compositor that hangs is waited for until then.
bool roundtrip(wl_display* display, Moment until) {
  bool done = false;
  constexpr wl_callback_listener kDone = {
      .done = [](void* data, wl_callback*, std::uint32_t) { *static_cast<bool*>(data) = true; }};
  wl_callback* const sync = wl_display_sync(display);
  wl_callback_add_listener(sync, &kDone, &done);
  while (!done && monotonic_now() < until) {
    while (wl_display_prepare_read(display) != 0) wl_display_dispatch_pending(display);
    wl_display_flush(display);
    pollfd readable{wl_display_get_fd(display), POLLIN, 0};
    if (::poll(&readable, 1, 100) > 0) {
      if (wl_display_read_events(display) < 0) break;
    } else {
      wl_display_cancel_read(display);
    }
    wl_display_dispatch_pending(display);
  }
  wl_callback_destroy(sync);
  return done;
}

/// The program at the other end of the socket: there is no other way to ask for its name.
std::string compositor_of(wl_display* display) {
  ucred peer{};
  socklen_t size = sizeof peer;
  const bool known = ::getsockopt(wl_display_get_fd(display), SOL_SOCKET, SO_PEERCRED, &peer, &size) == 0;
  return known && peer.pid > 1 ? program_of(peer.pid).name + ", Wayland" : "Wayland";
}

}  // namespace

std::map<std::string, std::string> wayland_facts() {
  const char* const name = std::getenv("WAYLAND_DISPLAY");
  if (name == nullptr || std::getenv("XDG_RUNTIME_DIR") == nullptr) return {};
  wl_log_set_handler_client([](const char*, va_list) {});  // it would write to the standard error
  const std::unique_ptr<wl_display, decltype(&wl_display_disconnect)> display(wl_display_connect(name),
                                                                              &wl_display_disconnect);
  if (display == nullptr) return {};
  std::map<std::string, std::string> facts = {{"Compositor", compositor_of(display.get())}};
  std::list<Output> outputs;
  const Moment until = monotonic_now() + 2 * kSecond;
  wl_registry* const registry = wl_display_get_registry(display.get());
  wl_registry_add_listener(registry, &kRegistry, &outputs);
  if (roundtrip(display.get(), until)) (void)roundtrip(display.get(), until);  // the outputs, then their modes
  for (const Output& output : outputs) {
    if (!output.mode.empty() && facts.emplace("Display", output.mode).second &&
        output.scale > 1)  // the first that is on
      facts.emplace("Display scale", std::to_string(output.scale));
    wl_output_destroy(output.handle);
  }
  wl_registry_destroy(registry);
  return facts;
}

}  // namespace idlemeter::meter
