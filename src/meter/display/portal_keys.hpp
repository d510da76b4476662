// Keys that a desktop passes on, where programs may not hear them themselves: the portal GlobalShortcuts
// (org.freedesktop.portal.GlobalShortcuts, version 1).
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <string>

#include "idlemeter/settings/settings.hpp"

namespace idlemeter::meter {

/// What a key is for, as the user sees it in the desktop's settings.
struct Shortcut {
  std::string about;          ///< "Show or hide the overlay"
  std::string chord;          ///< "Ctrl+Alt+O", which the desktop or the user may change
  std::function<void()> act;  ///< called by hear()
};

/// One thread at a time; a thread of its own talks to the bus.
class PortalKeys {
 public:
  /// By name, like "show". Returns at once: the desktop may ask the user first.
  explicit PortalKeys(std::map<std::string, Shortcut> shortcuts);
  PortalKeys(const PortalKeys&) = delete;
  PortalKeys& operator=(const PortalKeys&) = delete;
  ~PortalKeys();

  /// To watch.
  [[nodiscard]] int descriptor() const;

  /// Calls the action of each key that was pressed since the last call. Returns why keys don't work, or "" if they do.
  [[nodiscard]] std::string hear();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Returns why this session has no portal for keys, or "" if it has one. Waits up to two seconds for the session bus.
[[nodiscard]] std::string problem_with_portal_keys();

}  // namespace idlemeter::meter
