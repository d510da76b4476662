// Surfaces above or below all windows: the requests and events of the Wayland protocol zwlr_layer_shell_v1, version 1,
// that are used here. No package of Debian 12 has its description for wayland-scanner.
#pragma once

#include <wayland-client.h>

#include <cstdint>

struct zwlr_layer_shell_v1;
struct zwlr_layer_surface_v1;

namespace idlemeter::meter {

extern const wl_interface layer_shell_interface, layer_surface_interface;

enum class Layer : std::uint32_t { background, bottom, top, overlay };
inline constexpr std::uint32_t kAnchorTop = 1, kAnchorLeft = 4;

struct LayerSurfaceListener {
  /// To be acknowledged with its serial number; a size of 0 is left to the client.
  void (*configure)(void* data, zwlr_layer_surface_v1* surface, std::uint32_t serial, std::uint32_t width,
                    std::uint32_t height);
  /// The surface isn't shown any more, and is of no more use.
  void (*closed)(void* data, zwlr_layer_surface_v1* surface);
};

/// `output` nullptr: the compositor chooses. The first commit is to be one without a buffer.
zwlr_layer_surface_v1* get_layer_surface(zwlr_layer_shell_v1* shell, wl_surface* surface, wl_output* output,
                                         Layer layer, const char* purpose);
void add_listener(zwlr_layer_surface_v1* surface, const LayerSurfaceListener* listener, void* data);

// These hold from the next commit on.
void set_size(zwlr_layer_surface_v1* surface, std::uint32_t width, std::uint32_t height);
void set_anchor(zwlr_layer_surface_v1* surface, std::uint32_t anchors);
/// -1: regardless of what others keep free for themselves, like a panel.
void set_exclusive_zone(zwlr_layer_surface_v1* surface, std::int32_t zone);
void set_margin(zwlr_layer_surface_v1* surface, std::int32_t top, std::int32_t right, std::int32_t bottom,
                std::int32_t left);

void acknowledge_configure(zwlr_layer_surface_v1* surface, std::uint32_t serial);
void destroy(zwlr_layer_surface_v1* surface);

}  // namespace idlemeter::meter
