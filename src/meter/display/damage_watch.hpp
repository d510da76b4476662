// When windows are drawn into, as the display reports it.
#pragma once

#include <map>
#include <mutex>
#include <thread>
#include <vector>

#include "link/regions.hpp"
#include "meter/display/x11.hpp"

namespace idlemeter::meter {

/// A connection and a thread of its own, so that a present's time is that of its arrival, not when the meter had time
/// for it. A present is one report of DAMAGE: one request that drew into the window. Any thread.
class DamageWatch {
 public:
  /// Throws Error if the display has no DAMAGE.
  DamageWatch();
  DamageWatch(const DamageWatch&) = delete;
  DamageWatch& operator=(const DamageWatch&) = delete;
  ~DamageWatch();

  /// What is drawn within the covered part of the window alone isn't a present: a window above it has changed its form.
  void add(xcb_window_t window, xcb_rectangle_t covered);
  void cover(xcb_window_t window, xcb_rectangle_t covered);
  void remove(xcb_window_t window);

  /// Appends the presents since the last call. Returns how many of them were lost.
  std::uint32_t drain(xcb_window_t window, std::vector<link::FrameEntry>& into);

 private:
  struct Watched {
    std::uint32_t damage = 0;
    xcb_rectangle_t covered{};
    bool counts = false;      // of the report that is arriving
    bool after_pause = true;  // nothing was watched before the next present
    std::vector<link::FrameEntry> arrived = {};
    std::uint32_t lost = 0;
  };

  void listen();
  void take(const xcb_generic_event_t& event);

  Connection display_;
  std::uint8_t notify_ = 0;
  std::mutex mutex_;
  std::map<xcb_window_t, Watched> windows_;
  std::thread thread_;
};

}  // namespace idlemeter::meter
