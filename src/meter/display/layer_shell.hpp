// Surfaces above or below all windows: the part of the Wayland protocol zwlr_layer_shell_v1, version 1, that is used
// here. Debian 12 doesn't package its description, which wayland-scanner would need.
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
  /// Acknowledge it with its serial number. A size of 0 means that the client chooses.
  void (*configure)(void* data, zwlr_layer_surface_v1* surface, std::uint32_t serial, std::uint32_t width,
                    std::uint32_t height);
  /// The surface is no longer shown. Destroy it.
  void (*closed)(void* data, zwlr_layer_surface_v1* surface);
};

/// If `output` is nullptr, the compositor chooses one. The first commit must have no buffer.
zwlr_layer_surface_v1* get_layer_surface(zwlr_layer_shell_v1* shell, wl_surface* surface, wl_output* output,
                                         Layer layer, const char* purpose);
void add_listener(zwlr_layer_surface_v1* surface, const LayerSurfaceListener* listener, void* data);

// These take effect with the next commit.
void set_size(zwlr_layer_surface_v1* surface, std::uint32_t width, std::uint32_t height);
void set_anchor(zwlr_layer_surface_v1* surface, std::uint32_t anchors);
/// -1 ignores the space that others, like a panel, reserve for themselves.
void set_exclusive_zone(zwlr_layer_surface_v1* surface, std::int32_t zone);
void set_margin(zwlr_layer_surface_v1* surface, std::int32_t top, std::int32_t right, std::int32_t bottom,
                std::int32_t left);

void acknowledge_configure(zwlr_layer_surface_v1* surface, std::uint32_t serial);
void destroy(zwlr_layer_surface_v1* surface);

}  // namespace idlemeter::meter
