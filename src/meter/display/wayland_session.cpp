// wayland.xml: wl_registry, wl_output; xdg-output-unstable-v1.xml.
#include "meter/display/wayland_session.hpp"

#include <poll.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <wayland-client.h>

#include <algorithm>
#include <cmath>
#include <cstdarg>
#include <cstdlib>
#include <string_view>

#include "idlemeter/base/error.hpp"
#include "meter/display/layer_shell.hpp"
#include "meter/entrance/process.hpp"
#include "viewporter-client.h"
#include "xdg-output-unstable-v1-client.h"

namespace idlemeter::meter {
namespace {

constexpr std::uint32_t kOutputVersion = 2;  // the first with the scale

WaylandOutput& output_of(void* data) { return *static_cast<WaylandOutput*>(data); }

void take_geometry(void* data, wl_output*, std::int32_t, std::int32_t, std::int32_t, std::int32_t, std::int32_t,
                   const char*, const char*, std::int32_t transform) {
  output_of(data).on_its_side = transform % 2 == 1;  // wl_output.transform: quarter turns, and four more mirrored
}

void take_mode(void* data, wl_output*, std::uint32_t flags, std::int32_t width, std::int32_t height,
               std::int32_t millihertz) {
  if ((flags & WL_OUTPUT_MODE_CURRENT) == 0) return;
  WaylandOutput& output = output_of(data);
  output.mode_width = width;
  output.mode_height = height;
  output.millihertz = millihertz;
}

constexpr wl_output_listener kOutput = {
    .geometry = &take_geometry,
    .mode = &take_mode,
    .done = [](void*, wl_output*) {},
    .scale = [](void* data, wl_output*, std::int32_t factor) { output_of(data).whole_scale = factor; },
    .name = [](void*, wl_output*, const char*) {},
    .description = [](void*, wl_output*, const char*) {}};

void take_size(void* data, zxdg_output_v1*, std::int32_t width, std::int32_t height) {
  output_of(data).width = width;
  output_of(data).height = height;
}

constexpr zxdg_output_v1_listener kOutputSize = {
    .logical_position = [](void*, zxdg_output_v1*, std::int32_t, std::int32_t) {},
    .logical_size = &take_size,
    .done = [](void*, zxdg_output_v1*) {},
    .name = [](void*, zxdg_output_v1*, const char*) {},
    .description = [](void*, zxdg_output_v1*, const char*) {}};

wl_display* connect_to_compositor() {
  wl_log_set_handler_client([](const char*, va_list) {});  // the default handler writes to the standard error
  const bool is_named = std::getenv("WAYLAND_DISPLAY") != nullptr && std::getenv("XDG_RUNTIME_DIR") != nullptr;
  return is_named ? wl_display_connect(nullptr) : nullptr;
}

void release(WaylandOutput& output) {
  if (output.about != nullptr) zxdg_output_v1_destroy(output.about);
  wl_output_destroy(output.handle);
}

}  // namespace

/// Rounded to 1/120, the step of compositors' scales: sizes are whole numbers, so their ratio isn't exact.
double WaylandOutput::scale() const {
  constexpr double kLeast = 0.25, kMost = 16, kSteps = 120;
  const bool is_told = width > 0 && pixel_width() > 0;
  const double scale = is_told ? std::round(kSteps * pixel_width() / width) / kSteps : whole_scale;
  return std::clamp(scale, kLeast, kMost);
}

void WaylandSession::Disconnect::operator()(wl_display* display) const { wl_display_disconnect(display); }

WaylandSession::WaylandSession() : display_(connect_to_compositor()) {
  if (display_ == nullptr) throw Error(Error::Code::unavailable, "there is no Wayland compositor");
  registry_ = wl_display_get_registry(display_.get());
  static constexpr wl_registry_listener kRegistry = {
      .global = [](void* data, wl_registry*, std::uint32_t name, const char* interface,
                   std::uint32_t version) { static_cast<WaylandSession*>(data)->add(name, interface, version); },
      .global_remove = [](void* data, wl_registry*,
                          std::uint32_t name) { static_cast<WaylandSession*>(data)->remove(name); }};
  wl_registry_add_listener(registry_, &kRegistry, this);
  const Moment deadline = monotonic_now() + 2 * kSecond;
  if (wait_until(deadline)) (void)wait_until(deadline);  // first the list of objects, then the outputs' properties
}

WaylandSession::~WaylandSession() {
  for (WaylandOutput& output : outputs) release(output);
  if (output_manager_ != nullptr) zxdg_output_manager_v1_destroy(output_manager_);
  if (viewporter != nullptr) wp_viewporter_destroy(viewporter);
  if (layer_shell != nullptr) wl_proxy_destroy(reinterpret_cast<wl_proxy*>(layer_shell));
  if (shm != nullptr) wl_shm_destroy(shm);
  if (compositor != nullptr) wl_compositor_destroy(compositor);
  wl_registry_destroy(registry_);
}

std::unique_ptr<WaylandSession> find_wayland_session() {
  try {
    return std::make_unique<WaylandSession>();
  } catch (const Error&) {
    return nullptr;
  }
}

int WaylandSession::descriptor() const { return wl_display_get_fd(display_.get()); }

bool WaylandSession::hear() {
  wl_display* const display = display_.get();
  while (wl_display_prepare_read(display) != 0) {
    if (wl_display_dispatch_pending(display) < 0) return false;
  }
  wl_display_flush(display);
  pollfd readable{descriptor(), POLLIN, 0};
  if (::poll(&readable, 1, 0) > 0) {
    if (wl_display_read_events(display) < 0) return false;
  } else {
    wl_display_cancel_read(display);
  }
  return wl_display_dispatch_pending(display) >= 0 && (wl_display_flush(display) >= 0 || errno == EAGAIN);
}

/// Waits until the compositor has answered all requests, or until the deadline.
bool WaylandSession::wait_until(Moment deadline) {
  bool done = false;
  constexpr wl_callback_listener kDone = {
      .done = [](void* data, wl_callback*, std::uint32_t) { *static_cast<bool*>(data) = true; }};
  wl_callback* const sync = wl_display_sync(display_.get());
  wl_callback_add_listener(sync, &kDone, &done);
  while (hear() && !done && monotonic_now() < deadline) {
    pollfd readable{descriptor(), POLLIN, 0};
    ::poll(&readable, 1, 100);
  }
  wl_callback_destroy(sync);
  return done;
}

/// The protocol doesn't tell the name: takes it from the process at the other end of the socket.
std::string WaylandSession::compositor_name() const {
  ucred peer{};
  socklen_t size = sizeof peer;
  const bool known = ::getsockopt(descriptor(), SOL_SOCKET, SO_PEERCRED, &peer, &size) == 0;
  return known && peer.pid > 1 ? program_of(peer.pid).name : "";
}

std::string WaylandSession::socket_path() const {
  sockaddr_un address{};
  socklen_t size = sizeof address;
  const bool known = ::getpeername(descriptor(), reinterpret_cast<sockaddr*>(&address), &size) == 0;
  return known ? std::string(address.sun_path, ::strnlen(address.sun_path, sizeof address.sun_path)) : "";
}

void WaylandSession::add(std::uint32_t name, const char* interface, std::uint32_t version) {
  const auto bind = [&](auto*& object, const wl_interface& what, std::uint32_t highest) {
    if (object != nullptr || std::string_view(interface) != what.name) return;
    object = static_cast<std::remove_reference_t<decltype(object)>>(
        wl_registry_bind(registry_, name, &what, std::min(version, highest)));
  };
  bind(compositor, wl_compositor_interface, 1);
  bind(shm, wl_shm_interface, 1);
  bind(viewporter, wp_viewporter_interface, 1);
  bind(layer_shell, layer_shell_interface, 1);
  bind(output_manager_, zxdg_output_manager_v1_interface, 1);
  if (std::string_view(interface) == wl_output_interface.name && version >= kOutputVersion) {
    WaylandOutput& output = outputs.emplace_back();
    output.name = name;
    bind(output.handle, wl_output_interface, kOutputVersion);
    wl_output_add_listener(output.handle, &kOutput, &output);
  }
  for (WaylandOutput& output : outputs) ask_about(output);
}

void WaylandSession::remove(std::uint32_t name) {
  const auto gone = std::find_if(outputs.begin(), outputs.end(), [&](const auto& one) { return one.name == name; });
  if (gone == outputs.end()) return;
  release(*gone);
  outputs.erase(gone);
}

void WaylandSession::ask_about(WaylandOutput& output) const {
  if (output_manager_ == nullptr || output.about != nullptr) return;
  output.about = zxdg_output_manager_v1_get_xdg_output(output_manager_, output.handle);
  zxdg_output_v1_add_listener(output.about, &kOutputSize, &output);
}

}  // namespace idlemeter::meter
