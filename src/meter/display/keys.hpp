// Keys on an X11 display, heard without taking them from anybody.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <string>

namespace idlemeter::meter {

/// One thread at a time.
class Keys {
 public:
  /// Opens the display that DISPLAY names. `bindings`: a chord like "Ctrl+Alt+O" -> what to do. Throws Error if
  /// there is no display, it can't report keys (XInput 2.1), or a key isn't on it.
  explicit Keys(const std::map<std::string, std::function<void()>>& bindings);
  Keys(const Keys&) = delete;
  Keys& operator=(const Keys&) = delete;
  ~Keys();

  /// To watch; -1 once the display is gone.
  [[nodiscard]] int descriptor() const;

  /// Does what the keys that were pressed since ask for. False if the display is gone.
  bool hear();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter::meter
