// Overlays above games on Wayland, with nothing in the game: a layer above all windows. Presents aren't reported there.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "meter/display/layer_window.hpp"
#include "meter/display/wayland_session.hpp"
#include "meter/loop.hpp"
#include "meter/session/attachment.hpp"

namespace idlemeter::meter {

class AboveWaylandAttachment final : public Attachment {
 public:
  AboveWaylandAttachment(pid_t pid, WaylandSession& session) : pid_(pid), window_(session) {}

  [[nodiscard]] pid_t pid() const override { return pid_; }
  [[nodiscard]] std::string blind() const override;
  std::uint32_t drain(std::vector<link::FrameEntry>&) override { return 0; }
  /// The output's size: Wayland hides where another program's window is.
  [[nodiscard]] Size size() const override;
  [[nodiscard]] bool takes_pictures() const override { return true; }
  void publish(const Image& image, int x, int y) override { window_.publish(image, x, y); }
  void show(bool visible) override { window_.show(visible); }
  void beat(Moment) override {}

  [[nodiscard]] LayerWindow& window() { return window_; }

 private:
  pid_t pid_;
  LayerWindow window_;
};

/// Returns whether the compositor can show a window above all others.
[[nodiscard]] bool has_layers(const WaylandSession& session);

/// One game at a time. If several of its processes are connected to the compositor, the one that uses most memory.
class AboveWayland final : public Entrance {
 public:
  /// Throws Error if no compositor answers, or if it doesn't support layers. Loop and host have to outlive it.
  AboveWayland(Loop& loop, std::function<bool(int)> is_game, Host& host);
  AboveWayland(const AboveWayland&) = delete;
  AboveWayland& operator=(const AboveWayland&) = delete;
  /// Removes its game from the host.
  ~AboveWayland() override;

  void look() override;

 private:
  void hear();
  void search();
  void leave();
  [[nodiscard]] pid_t largest_client() const;

  Loop& loop_;
  std::function<bool(int)> is_game_;
  Host& host_;
  std::optional<WaylandSession> session_;
  AboveWaylandAttachment* attachment_ = nullptr;
  Game* game_ = nullptr;
  pid_t seen_ = 0;  ///< at the last search
  Moment look_due_{}, search_due_{};
};

}  // namespace idlemeter::meter
