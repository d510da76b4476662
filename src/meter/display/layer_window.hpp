// The meter's own surface above all windows of a Wayland output.
#pragma once

#include <wayland-client.h>

#include "idlemeter/draw/image.hpp"

struct wp_viewport;
struct zwlr_layer_surface_v1;

namespace idlemeter::meter {

class WaylandSession;
struct WaylandOutput;

/// A range of pixels, and the range of the compositor's units that shows it.
struct Stretch {
  int from = 0, to = 0;              ///< in units
  int from_pixel = 0, to_pixel = 0;  ///< the same ends in pixels
};

/// Returns the smallest range of whole units that contains the `length` pixels from `at` on and begins and ends at
/// whole pixels, so that the compositor shows the picture unscaled. `scale`: pixels per unit, a multiple of 1/120.
[[nodiscard]] Stretch stretch_around(int at, int length, double scale);

/// Lets all input through. One thread at a time; the session has to outlive it.
class LayerWindow {
 public:
  explicit LayerWindow(WaylandSession& session) : session_(session) {}
  LayerWindow(const LayerWindow&) = delete;
  LayerWindow& operator=(const LayerWindow&) = delete;
  ~LayerWindow() { close(); }

  /// Shows the picture at x and y: pixels from the output's top left corner.
  void publish(const Image& image, int x, int y);

  void show(bool visible);

  /// Returns the output that shows it, or the first one before it is shown; nullptr without outputs.
  [[nodiscard]] const WaylandOutput* output() const;

  /// Redraws if the output's scale has changed. Call once a second.
  void renew();

 private:
  void open();
  void close();
  void take_configure(std::uint32_t serial);
  void draw();
  [[nodiscard]] double scale() const;
  [[nodiscard]] wl_buffer* buffer_of(const Stretch& across, const Stretch& down) const;

  WaylandSession& session_;
  wl_surface* surface_ = nullptr;
  zwlr_layer_surface_v1* layer_ = nullptr;
  wp_viewport* viewport_ = nullptr;
  wl_output* entered_ = nullptr;
  Image image_;
  int x_ = 0, y_ = 0;
  double drawn_scale_ = 0;
  bool wanted_ = false, configured_ = false;
};

}  // namespace idlemeter::meter
