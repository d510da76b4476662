#include "meter/display/overlay_window.hpp"

#include <xcb/shape.h>

#include <algorithm>
#include <string_view>
#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/draw/image.hpp"

namespace idlemeter::meter {
namespace {

constexpr const char* kWithout = "play without a window above";
constexpr std::uint32_t kSolid = 96;  // alpha from which a pixel is drawn if nothing blends

/// The visual with an alpha beside its colours; 0 if there is none.
xcb_visualid_t visual_with_alpha(const xcb_screen_t* screen) {
  for (auto depth = xcb_screen_allowed_depths_iterator(screen); depth.rem > 0; xcb_depth_next(&depth)) {
    if (depth.data->depth != 32) continue;
    const xcb_visualtype_t* visuals = xcb_depth_visuals(depth.data);
    for (int i = 0; i < xcb_depth_visuals_length(depth.data); ++i) {
      if (visuals[i]._class == XCB_VISUAL_CLASS_TRUE_COLOR && visuals[i].red_mask == 0xff0000)
        return visuals[i].visual_id;
    }
  }
  return 0;
}

bool has_32_bits_per_pixel(const xcb_setup_t* setup, std::uint8_t depth) {
  const xcb_format_t* formats = xcb_setup_pixmap_formats(setup);
  return std::any_of(formats, formats + xcb_setup_pixmap_formats_length(setup),
                     [&](const xcb_format_t& format) { return format.depth == depth && format.bits_per_pixel == 32; });
}

}  // namespace

OverlayDisplay::OverlayDisplay() : connection(connect_to_display(&screen_number)) {
  xcb_connection_t* const display = connection.get();
  if (xcb_connection_has_error(display) != 0)
    throw Error(Error::Code::unavailable, "there is no X11 display for a window above the game", "", kWithout,
                Error::Hint::no_window_above);
  auto screens = xcb_setup_roots_iterator(xcb_get_setup(display));
  for (int i = 0; i < screen_number; ++i) xcb_screen_next(&screens);
  screen = screens.data;
  const auto* shape = xcb_get_extension_data(display, &xcb_shape_id);
  if (shape == nullptr || shape->present == 0)
    throw Error(Error::Code::unavailable,
                "the display has no SHAPE extension: a window above the game would take its clicks", "", kWithout,
                Error::Hint::no_window_above);
  visual = visual_with_alpha(screen);
  depth = visual == 0 ? screen->root_depth : 32;
  if (visual == 0) visual = screen->root_visual;
  const xcb_setup_t* setup = xcb_get_setup(display);
  if (!has_32_bits_per_pixel(setup, depth) || setup->image_byte_order != XCB_IMAGE_ORDER_LSB_FIRST)
    throw Error(Error::Code::unavailable, "the display has no pixels of 32 bits for a window above the game", "",
                kWithout, Error::Hint::no_window_above);
  colors = xcb_generate_id(display);
  xcb_create_colormap(display, XCB_COLORMAP_ALLOC_NONE, colors, screen->root, visual);
}

OverlayWindow::OverlayWindow(const OverlayDisplay& display) : display_(display), window_(xcb_generate_id(*display)) {
  const std::uint32_t values[] = {0, 0, 1, display.colors};
  xcb_create_window(*display, display.depth, window_, display.screen->root, 0, 0, 1, 1, 0,
                    XCB_WINDOW_CLASS_INPUT_OUTPUT, display.visual,
                    XCB_CW_BACK_PIXEL | XCB_CW_BORDER_PIXEL | XCB_CW_OVERRIDE_REDIRECT | XCB_CW_COLORMAP, values);
  xcb_shape_rectangles(*display, XCB_SHAPE_SO_SET, XCB_SHAPE_SK_INPUT, XCB_CLIP_ORDERING_UNSORTED, window_, 0, 0, 0,
                       nullptr);
  constexpr std::string_view kName = "Idle Meter", kClass("overlay\0IdleMeter\0", 18);
  xcb_change_property(*display, XCB_PROP_MODE_REPLACE, window_, XCB_ATOM_WM_NAME, XCB_ATOM_STRING, 8, kName.size(),
                      kName.data());
  xcb_change_property(*display, XCB_PROP_MODE_REPLACE, window_, XCB_ATOM_WM_CLASS, XCB_ATOM_STRING, 8, kClass.size(),
                      kClass.data());
}

OverlayWindow::~OverlayWindow() {
  xcb_destroy_window(*display_, window_);
  xcb_flush(*display_);
}

void OverlayWindow::publish(const Image& image, int x, int y) {
  image_ = image;
  x_ = x;
  y_ = y;
  draw();
  show(wanted_);
}

void OverlayWindow::set_origin(int x, int y) {
  if (x == origin_x_ && y == origin_y_) return;
  origin_x_ = x;
  origin_y_ = y;
  place();
}

void OverlayWindow::show(bool visible) {
  wanted_ = visible;
  const bool shown = wanted_ && !image_.pixels.empty();
  if (shown == shown_) return;
  shown_ = shown;
  if (shown) {
    xcb_map_window(*display_, window_);
  } else {
    xcb_unmap_window(*display_, window_);
  }
  xcb_flush(*display_);
}

void OverlayWindow::stack_above(xcb_window_t sibling) {
  const std::uint32_t values[] = {sibling, XCB_STACK_MODE_ABOVE};
  xcb_configure_window(*display_, window_, XCB_CONFIG_WINDOW_SIBLING | XCB_CONFIG_WINDOW_STACK_MODE, values);
  xcb_flush(*display_);
}

xcb_rectangle_t OverlayWindow::covered() const {
  return {static_cast<std::int16_t>(x_), static_cast<std::int16_t>(y_), static_cast<std::uint16_t>(image_.width),
          static_cast<std::uint16_t>(image_.height)};
}

/// The server paints the picture as the window's ground by itself, whenever a part of it comes to light.
/// A bit for each pixel that is solid enough to be shown where nothing is blended.
xcb_pixmap_t OverlayWindow::mask_of_solid() {
  const std::uint32_t row = (static_cast<std::uint32_t>(image_.width) + 31) / 32 * 4;
  std::vector<std::uint8_t> bits(row * static_cast<std::size_t>(image_.height));
  const bool low_first = xcb_get_setup(*display_)->bitmap_format_bit_order == XCB_IMAGE_ORDER_LSB_FIRST;
  for (int y = 0; y < image_.height; ++y) {
    for (int x = 0; x < image_.width; ++x) {
      if (image_.at(x, y) >> 24 < kSolid) continue;
      const int bit = low_first ? x % 8 : 7 - x % 8;
      bits[row * static_cast<std::size_t>(y) + static_cast<std::size_t>(x / 8)] |= static_cast<std::uint8_t>(1 << bit);
    }
  }
  return pixmap_of(1, row, bits.data());
}

void OverlayWindow::draw() {
  if (image_.pixels.empty()) return;
  const auto* bytes = reinterpret_cast<const std::uint8_t*>(image_.pixels.data());
  const xcb_pixmap_t picture = pixmap_of(display_.depth, static_cast<std::uint32_t>(image_.width) * 4, bytes);
  xcb_change_window_attributes(*display_, window_, XCB_CW_BACK_PIXMAP, &picture);
  xcb_free_pixmap(*display_, picture);
  const xcb_pixmap_t mask = display_.composited && display_.depth == 32 ? XCB_NONE : mask_of_solid();
  xcb_shape_mask(*display_, XCB_SHAPE_SO_SET, XCB_SHAPE_SK_BOUNDING, window_, 0, 0, mask);
  if (mask != XCB_NONE) xcb_free_pixmap(*display_, mask);
  place();
  xcb_clear_area(*display_, 0, window_, 0, 0, 0, 0);
  xcb_flush(*display_);
}

void OverlayWindow::place() {
  if (image_.pixels.empty()) return;
  const std::uint32_t values[] = {static_cast<std::uint32_t>(origin_x_ + x_),
                                  static_cast<std::uint32_t>(origin_y_ + y_), static_cast<std::uint32_t>(image_.width),
                                  static_cast<std::uint32_t>(image_.height)};
  xcb_configure_window(*display_, window_,
                       XCB_CONFIG_WINDOW_X | XCB_CONFIG_WINDOW_Y | XCB_CONFIG_WINDOW_WIDTH | XCB_CONFIG_WINDOW_HEIGHT,
                       values);
  xcb_flush(*display_);
}

/// With the image's size. Sent in strips: a request has a longest length.
xcb_pixmap_t OverlayWindow::pixmap_of(std::uint8_t depth, std::uint32_t bytes_per_row, const std::uint8_t* bytes) {
  const auto width = static_cast<std::uint16_t>(image_.width), height = static_cast<std::uint16_t>(image_.height);
  const xcb_pixmap_t pixmap = xcb_generate_id(*display_);
  const xcb_gcontext_t pen = xcb_generate_id(*display_);
  xcb_create_pixmap(*display_, depth, pixmap, window_, width, height);
  xcb_create_gc(*display_, pen, pixmap, 0, nullptr);
  const std::uint32_t most = xcb_get_maximum_request_length(*display_) * 4 - 64;
  const auto strip = static_cast<std::uint16_t>(std::min<std::uint32_t>(height, most / bytes_per_row));
  const auto format = depth == 1 ? XCB_IMAGE_FORMAT_XY_PIXMAP : XCB_IMAGE_FORMAT_Z_PIXMAP;
  for (std::uint32_t y = 0; y < height; y += strip) {
    const auto rows = static_cast<std::uint16_t>(std::min<std::uint32_t>(strip, height - y));
    xcb_put_image(*display_, static_cast<std::uint8_t>(format), pixmap, pen, width, rows, 0,
                  static_cast<std::int16_t>(y), 0, depth, bytes_per_row * rows, bytes + std::size_t{bytes_per_row} * y);
  }
  xcb_free_gc(*display_, pen);
  return pixmap;
}

}  // namespace idlemeter::meter
