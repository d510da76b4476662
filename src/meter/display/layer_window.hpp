// A surface of the meter's own above all windows of a Wayland output.
#pragma once

#include <wayland-client.h>

#include "idlemeter/draw/image.hpp"

struct wp_viewport;
struct zwlr_layer_surface_v1;

namespace idlemeter::meter {

class WaylandSession;
struct WaylandOutput;

/// A stretch of pixels, and the stretch of the compositor's units that it fills.
struct Stretch {
  int from = 0, to = 0;              ///< in units
  int from_pixel = 0, to_pixel = 0;  ///< a whole number of pixels at either end
};

/// The smallest stretch of whole units with `length` pixels from `at` within, whose ends lie on whole pixels: what is
/// drawn there isn't scaled. `scale` in pixels for a unit, a multiple of 1/120.
[[nodiscard]] Stretch stretch_around(int at, int length, double scale);

/// Lets all input through. One thread at a time; the session has to outlive it.
class LayerWindow {
 public:
  explicit LayerWindow(WaylandSession& session) : session_(session) {}
  LayerWindow(const LayerWindow&) = delete;
  LayerWindow& operator=(const LayerWindow&) = delete;
  ~LayerWindow() { close(); }

  /// The picture, and where it goes from the output's top left corner, in pixels.
  void publish(const Image& image, int x, int y);

  void show(bool visible);

  /// The output that it is on, or would be; nullptr if there is none.
  [[nodiscard]] const WaylandOutput* output() const;

  /// Call when outputs may have changed.
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
