// Overlays above games on X11, with nothing in the game: a window above the game's; presents as the display reports
// them.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <optional>
#include <string>

#include "idlemeter/draw/image.hpp"
#include "meter/display/damage_watch.hpp"
#include "meter/display/overlay_window.hpp"
#include "meter/loop.hpp"
#include "meter/session/attachment.hpp"

namespace idlemeter::meter {

/// A game's window on the display.
struct SeenWindow {
  xcb_window_t window = 0;
  xcb_window_t frame = 0;  ///< the root's child that it is or lies in
  std::uint32_t width = 0, height = 0;
};

class AboveAttachment final : public Attachment {
 public:
  /// `damage` is nullptr if presents aren't reported, `blind` says why.
  AboveAttachment(pid_t pid, const OverlayDisplay& display, DamageWatch* damage, std::string blind);
  ~AboveAttachment() override;

  [[nodiscard]] pid_t pid() const override { return pid_; }
  [[nodiscard]] std::string blind() const override { return blind_; }
  std::uint32_t drain(std::vector<link::FrameEntry>& into) override;
  [[nodiscard]] Size size() const override { return {seen_.width, seen_.height}; }
  [[nodiscard]] bool takes_pictures() const override { return true; }
  void publish(const Image& image, int x, int y) override;
  void show(bool visible) override;
  void beat(Moment) override {}

  /// The window that is seen of the game now; one of 0: none.
  void set_window(const SeenWindow& seen);
  [[nodiscard]] const SeenWindow& seen() const { return seen_; }
  [[nodiscard]] OverlayWindow& overlay() { return overlay_; }

 private:
  pid_t pid_;
  OverlayWindow overlay_;
  DamageWatch* damage_;
  std::string blind_;
  SeenWindow seen_;
  bool visible_ = false;
};

class AboveX11 final : public Entrance {
 public:
  /// Throws Error if the display can't have windows above others. Loop and host have to outlive it.
  AboveX11(Loop& loop, std::function<bool(int)> is_game, Host& host);
  AboveX11(const AboveX11&) = delete;
  AboveX11& operator=(const AboveX11&) = delete;
  /// Lets its games go.
  ~AboveX11() override;

  /// Looks where the games' windows are, when anything on the display has changed, and each second.
  void look() override;

  /// Returns whether an overlay lies above a window of that process.
  [[nodiscard]] bool covers(pid_t pid) const { return covered_.contains(pid); }

 private:
  struct Covered {
    AboveAttachment* attachment;
    Game* game;
  };

  /// A window, and the root's child that it is or lies in.
  struct Place {
    xcb_window_t window, frame;
  };

  void hear();
  void search();
  void cover(pid_t pid);
  [[nodiscard]] std::map<xcb_window_t, pid_t> games_clients() const;
  [[nodiscard]] std::map<pid_t, SeenWindow> largest_windows(const std::map<xcb_window_t, pid_t>& clients,
                                                            const std::vector<xcb_window_t>& stack) const;
  [[nodiscard]] std::vector<SeenWindow> seen_windows(const std::vector<Place>& places) const;
  [[nodiscard]] std::vector<Place> children_of(const std::vector<Place>& places) const;
  void follow(Covered& covered, const std::vector<xcb_window_t>& stack);
  void note_compositor();
  [[nodiscard]] bool lies_above(xcb_window_t upper, xcb_window_t lower, const std::vector<xcb_window_t>& stack) const;
  void leave_all();

  Loop& loop_;
  std::function<bool(int)> is_game_;
  Host& host_;
  OverlayDisplay display_;
  std::optional<DamageWatch> damage_;
  std::string blind_;
  xcb_atom_t compositor_ = 0;
  std::map<pid_t, Covered> covered_;
  bool changed_ = true;
  Moment search_due_{};
};

}  // namespace idlemeter::meter
