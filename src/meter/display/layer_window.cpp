#include "meter/display/layer_window.hpp"

#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "meter/display/layer_shell.hpp"
#include "meter/display/wayland_session.hpp"
#include "viewporter-client.h"

namespace idlemeter::meter {
namespace {

bool is_whole(double number) { return std::abs(number - std::round(number)) < 1e-6; }

int to_pixels(int units, double scale) { return static_cast<int>(std::lround(units * scale)); }

}  // namespace

Stretch stretch_around(int at, int length, double scale) {
  Stretch around{static_cast<int>(std::floor(at / scale + 1e-6)),
                 static_cast<int>(std::ceil((at + length) / scale - 1e-6))};
  while (!is_whole(around.from * scale)) --around.from;
  while (!is_whole(around.to * scale)) ++around.to;  // at most 120 steps
  around.from_pixel = to_pixels(around.from, scale);
  around.to_pixel = to_pixels(around.to, scale);
  return around;
}

void LayerWindow::publish(const Image& image, int x, int y) {
  image_ = image;
  x_ = x;
  y_ = y;
  show(wanted_);
  draw();
}

void LayerWindow::show(bool visible) {
  wanted_ = visible;
  const bool shown = wanted_ && !image_.pixels.empty();
  if (shown == (surface_ != nullptr)) return;
  if (shown) {
    open();
  } else {
    close();
  }
}

const WaylandOutput* LayerWindow::output() const {
  const auto& outputs = session_.outputs;
  const auto is_it = [&](const WaylandOutput& one) { return one.handle == entered_; };
  const auto found = std::find_if(outputs.begin(), outputs.end(), is_it);
  if (found != outputs.end()) return &*found;
  return outputs.empty() ? nullptr : &outputs.front();
}

void LayerWindow::renew() {
  show(wanted_);  // reopens it if the compositor has closed it
  if (drawn_scale_ != scale()) draw();
}

/// Without a viewport, one pixel of the picture fills one unit.
double LayerWindow::scale() const { return viewport_ == nullptr || output() == nullptr ? 1 : output()->scale(); }

void LayerWindow::open() {
  surface_ = wl_compositor_create_surface(session_.compositor);
  static constexpr wl_surface_listener kEvents = {
      .enter = [](void* data, wl_surface*, wl_output* output) { static_cast<LayerWindow*>(data)->entered_ = output; },
      .leave = [](void*, wl_surface*, wl_output*) {}};
  wl_surface_add_listener(surface_, &kEvents, this);
  wl_region* const nowhere = wl_compositor_create_region(session_.compositor);
  wl_surface_set_input_region(surface_, nowhere);
  wl_region_destroy(nowhere);
  if (session_.viewporter != nullptr) viewport_ = wp_viewporter_get_viewport(session_.viewporter, surface_);
  layer_ = get_layer_surface(session_.layer_shell, surface_, nullptr, Layer::overlay, "idlemeter");
  static constexpr LayerSurfaceListener kLayerEvents = {
      .configure = [](void* data, zwlr_layer_surface_v1*, std::uint32_t serial, std::uint32_t,
                      std::uint32_t) { static_cast<LayerWindow*>(data)->take_configure(serial); },
      .closed = [](void* data, zwlr_layer_surface_v1*) { static_cast<LayerWindow*>(data)->close(); }};
  add_listener(layer_, &kLayerEvents, this);
  set_anchor(layer_, kAnchorTop | kAnchorLeft);
  set_exclusive_zone(layer_, -1);
  set_size(layer_, 1, 1);
  wl_surface_commit(surface_);
}

void LayerWindow::close() {
  if (surface_ == nullptr) return;
  destroy(layer_);
  if (viewport_ != nullptr) wp_viewport_destroy(viewport_);
  wl_surface_destroy(surface_);
  surface_ = nullptr;
  layer_ = nullptr;
  viewport_ = nullptr;
  entered_ = nullptr;
  configured_ = false;
  drawn_scale_ = 0;
}

void LayerWindow::take_configure(std::uint32_t serial) {
  acknowledge_configure(layer_, serial);
  if (std::exchange(configured_, true)) return;
  draw();
}

void LayerWindow::draw() {
  if (!configured_ || image_.pixels.empty()) return;
  drawn_scale_ = scale();
  const Stretch across = stretch_around(x_, image_.width, drawn_scale_),
                down = stretch_around(y_, image_.height, drawn_scale_);
  wl_buffer* const buffer = buffer_of(across, down);
  if (buffer == nullptr) return;
  if (viewport_ != nullptr) wp_viewport_set_destination(viewport_, across.to - across.from, down.to - down.from);
  set_size(layer_, static_cast<std::uint32_t>(across.to - across.from),
           static_cast<std::uint32_t>(down.to - down.from));
  set_margin(layer_, down.from, 0, 0, across.from);
  wl_surface_attach(surface_, buffer, 0, 0);
  wl_surface_damage(surface_, 0, 0, INT32_MAX, INT32_MAX);
  wl_surface_commit(surface_);
}

/// The buffer destroys itself once the compositor has read it. Returns nullptr if memory runs out.
wl_buffer* LayerWindow::buffer_of(const Stretch& across, const Stretch& down) const {
  const int width = across.to_pixel - across.from_pixel, height = down.to_pixel - down.from_pixel;
  const std::size_t bytes = sizeof(std::uint32_t) * static_cast<std::size_t>(width) * static_cast<std::size_t>(height);
  const int fd = ::memfd_create("idlemeter", MFD_CLOEXEC);
  void* const memory = fd >= 0 && ::ftruncate(fd, static_cast<off_t>(bytes)) == 0
                           ? ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_SHARED, fd, 0)
                           : MAP_FAILED;
  wl_buffer* buffer = nullptr;
  if (memory != MAP_FAILED) {
    auto* const pixels = static_cast<std::uint32_t*>(memory);
    for (int y = 0; y < image_.height; ++y) {
      const int row = y_ - down.from_pixel + y;
      std::copy_n(image_.pixels.begin() + std::ptrdiff_t{y} * image_.width, image_.width,
                  pixels + std::ptrdiff_t{row} * width + x_ - across.from_pixel);
    }
    ::munmap(memory, bytes);
    wl_shm_pool* const pool = wl_shm_create_pool(session_.shm, fd, static_cast<std::int32_t>(bytes));
    buffer = wl_shm_pool_create_buffer(pool, 0, width, height, width * 4, WL_SHM_FORMAT_ARGB8888);
    wl_shm_pool_destroy(pool);
    static constexpr wl_buffer_listener kEvents = {.release = [](void*, wl_buffer* read) { wl_buffer_destroy(read); }};
    wl_buffer_add_listener(buffer, &kEvents, nullptr);
  }
  if (fd >= 0) ::close(fd);
  return buffer;
}

}  // namespace idlemeter::meter
