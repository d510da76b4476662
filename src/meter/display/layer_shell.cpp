#include "meter/display/layer_shell.hpp"

#include <iterator>

namespace idlemeter::meter {
namespace {

constexpr std::uint32_t kVersion = 1;

// The type of each argument that is an object, else nullptr. wl_message takes a pointer to non-const.
const wl_interface* kNothing[] = {nullptr, nullptr, nullptr, nullptr};
const wl_interface* kLayerSurface[] = {&layer_surface_interface, &wl_surface_interface, &wl_output_interface, nullptr,
                                       nullptr};

constexpr wl_message kShellRequests[] = {{"get_layer_surface", "no?ous", kLayerSurface}};
enum ShellRequest : std::uint32_t { kGetLayerSurface };

constexpr wl_message kSurfaceRequests[] = {{"set_size", "uu", kNothing},
                                           {"set_anchor", "u", kNothing},
                                           {"set_exclusive_zone", "i", kNothing},
                                           {"set_margin", "iiii", kNothing},
                                           {"set_keyboard_interactivity", "u", kNothing},
                                           {"get_popup", "o", kNothing},
                                           {"ack_configure", "u", kNothing},
                                           {"destroy", "", kNothing}};
enum SurfaceRequest : std::uint32_t { kSetSize, kSetAnchor, kSetZone, kSetMargin, kAcknowledge = 6, kDestroy = 7 };

constexpr wl_message kSurfaceEvents[] = {{"configure", "uuu", kNothing}, {"closed", "", kNothing}};

template <typename... Arguments>
void request(zwlr_layer_surface_v1* surface, SurfaceRequest what, Arguments... arguments) {
  wl_proxy_marshal_flags(reinterpret_cast<wl_proxy*>(surface), what, nullptr, kVersion,
                         what == kDestroy ? WL_MARSHAL_FLAG_DESTROY : 0, arguments...);
}

}  // namespace

const wl_interface layer_shell_interface = {"zwlr_layer_shell_v1", kVersion, std::size(kShellRequests),
                                            kShellRequests,        0,        nullptr};
const wl_interface layer_surface_interface = {"zwlr_layer_surface_v1",     kVersion,
                                              std::size(kSurfaceRequests), kSurfaceRequests,
                                              std::size(kSurfaceEvents),   kSurfaceEvents};

zwlr_layer_surface_v1* get_layer_surface(zwlr_layer_shell_v1* shell, wl_surface* surface, wl_output* output,
                                         Layer layer, const char* purpose) {
  return reinterpret_cast<zwlr_layer_surface_v1*>(
      wl_proxy_marshal_flags(reinterpret_cast<wl_proxy*>(shell), kGetLayerSurface, &layer_surface_interface, kVersion,
                             0, nullptr, surface, output, static_cast<std::uint32_t>(layer), purpose));
}

void add_listener(zwlr_layer_surface_v1* surface, const LayerSurfaceListener* listener, void* data) {
  // libwayland takes a listener as an array of functions.
  auto* const functions = reinterpret_cast<void (**)()>(const_cast<LayerSurfaceListener*>(listener));
  wl_proxy_add_listener(reinterpret_cast<wl_proxy*>(surface), functions, data);
}

void set_size(zwlr_layer_surface_v1* surface, std::uint32_t width, std::uint32_t height) {
  request(surface, kSetSize, width, height);
}

void set_anchor(zwlr_layer_surface_v1* surface, std::uint32_t anchors) { request(surface, kSetAnchor, anchors); }

void set_exclusive_zone(zwlr_layer_surface_v1* surface, std::int32_t zone) { request(surface, kSetZone, zone); }

void set_margin(zwlr_layer_surface_v1* surface, std::int32_t top, std::int32_t right, std::int32_t bottom,
                std::int32_t left) {
  request(surface, kSetMargin, top, right, bottom, left);
}

void acknowledge_configure(zwlr_layer_surface_v1* surface, std::uint32_t serial) {
  request(surface, kAcknowledge, serial);
}

void destroy(zwlr_layer_surface_v1* surface) { request(surface, kDestroy); }

}  // namespace idlemeter::meter
