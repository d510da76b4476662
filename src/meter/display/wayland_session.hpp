// A connection to the session's Wayland compositor: the objects that it offers, and its outputs.
#pragma once

#include <cstdint>
#include <list>
#include <memory>
#include <string>

#include "idlemeter/base/time.hpp"

struct wl_compositor;
struct wl_display;
struct wl_output;
struct wl_registry;
struct wl_shm;
struct wp_viewporter;
struct zwlr_layer_shell_v1;
struct zxdg_output_manager_v1;
struct zxdg_output_v1;

namespace idlemeter::meter {

/// An output's properties (wl_output, zxdg_output_v1). Sizes are 0 until the compositor has sent them.
struct WaylandOutput {
  wl_output* handle = nullptr;
  zxdg_output_v1* about = nullptr;  ///< nullptr if the compositor doesn't support it
  std::uint32_t name = 0;
  std::int32_t mode_width = 0, mode_height = 0, millihertz = 0;
  bool on_its_side = false;            ///< turned by 90 or 270 degrees
  std::int32_t whole_scale = 1;        ///< rounded up
  std::int32_t width = 0, height = 0;  ///< in the compositor's units

  /// Returns the pixels per unit of the compositor, from 0.25 to 16, like 1.25: the mode's width over the size if both
  /// are known, else the rounded scale.
  [[nodiscard]] double scale() const;
  [[nodiscard]] int pixel_width() const { return on_its_side ? mode_height : mode_width; }
  [[nodiscard]] int pixel_height() const { return on_its_side ? mode_width : mode_height; }
};

/// One thread at a time. Objects are nullptr if the compositor doesn't offer them.
class WaylandSession {
 public:
  /// Connects to the compositor that the environment names, and waits up to two seconds for its answers. Throws Error
  /// if it can't connect.
  WaylandSession();
  WaylandSession(const WaylandSession&) = delete;
  WaylandSession& operator=(const WaylandSession&) = delete;
  ~WaylandSession();

  [[nodiscard]] int descriptor() const;

  /// Handles received events and sends pending requests. Returns false if the connection is closed.
  [[nodiscard]] bool hear();

  /// Returns the compositor's program, like "sway"; "" if it is unknown.
  [[nodiscard]] std::string compositor_name() const;

  /// Returns the path of the compositor's listening socket.
  [[nodiscard]] std::string socket_path() const;

  wl_compositor* compositor = nullptr;
  wl_shm* shm = nullptr;
  wp_viewporter* viewporter = nullptr;
  zwlr_layer_shell_v1* layer_shell = nullptr;
  std::list<WaylandOutput> outputs;

 private:
  struct Disconnect {
    void operator()(wl_display* display) const;
  };

  bool wait_until(Moment deadline);
  void add(std::uint32_t name, const char* interface, std::uint32_t version);
  void remove(std::uint32_t name);
  void ask_about(WaylandOutput& output) const;

  std::unique_ptr<wl_display, Disconnect> display_;
  wl_registry* registry_ = nullptr;
  zxdg_output_manager_v1* output_manager_ = nullptr;
};

/// Returns nullptr instead of throwing.
[[nodiscard]] std::unique_ptr<WaylandSession> find_wayland_session();

}  // namespace idlemeter::meter
