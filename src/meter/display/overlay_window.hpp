// A window of the meter's own above a game's.
#pragma once

#include "idlemeter/draw/image.hpp"
#include "meter/display/x11.hpp"

namespace idlemeter::meter {

/// What overlay windows need of a display.
struct OverlayDisplay {
  /// Throws Error if the display can't have such windows.
  OverlayDisplay();

  [[nodiscard]] xcb_connection_t* operator*() const { return connection.get(); }

  Connection connection;
  xcb_screen_t* screen = nullptr;
  int screen_number = 0;
  std::uint8_t depth = 0;
  xcb_visualid_t visual = 0;
  xcb_colormap_t colors = 0;

  /// Something blends windows by their alpha. Without it a window's pixels are there or not.
  bool composited = false;
};

/// Lets all input through, and nothing manages it. Places are of the root window, in pixels.
class OverlayWindow {
 public:
  explicit OverlayWindow(const OverlayDisplay& display);
  OverlayWindow(const OverlayWindow&) = delete;
  OverlayWindow& operator=(const OverlayWindow&) = delete;
  ~OverlayWindow();

  [[nodiscard]] xcb_window_t id() const { return window_; }

  /// The picture, and where it goes from the origin.
  void publish(const Image& image, int x, int y);

  /// Where the game's picture is now.
  void set_origin(int x, int y);

  void show(bool visible);
  [[nodiscard]] bool is_shown() const { return shown_; }

  /// Right above that window, a child of the root.
  void stack_above(xcb_window_t sibling);

  /// Call when `composited` has changed.
  void renew() { draw(); }

  /// The part of the game's picture that it lies on.
  [[nodiscard]] xcb_rectangle_t covered() const;

 private:
  [[nodiscard]] xcb_pixmap_t mask_of_solid();
  void draw();
  void place();
  [[nodiscard]] xcb_pixmap_t pixmap_of(std::uint8_t depth, std::uint32_t bytes_per_row, const std::uint8_t* bytes);

  const OverlayDisplay& display_;
  xcb_window_t window_;
  Image image_;
  int x_ = 0, y_ = 0, origin_x_ = 0, origin_y_ = 0;
  bool wanted_ = false, shown_ = false;
};

}  // namespace idlemeter::meter
