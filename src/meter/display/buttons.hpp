// Buttons of input devices, heard without taking them from anybody (linux/input.h).
#pragma once

#include <filesystem>
#include <functional>
#include <list>
#include <set>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/settings/settings.hpp"
#include "meter/loop.hpp"

namespace idlemeter::meter {

/// An input device opened for reading, non-blocking. `fd` is -1 if that failed; `problem` says why.
struct OpenDevice {
  int fd = -1;
  std::string problem = {};
};

[[nodiscard]] OpenDevice open_input_device(const std::filesystem::path& device);

/// Devices may be unplugged and come back. One thread at a time.
class Buttons {
 public:
  /// Calls `act` when all buttons of a choice are held and one of them has just been pressed; if several choices fit,
  /// for the one with most buttons. `log` gets each problem of a device once. The loop has to outlive it.
  Buttons(Loop& loop, const std::vector<ButtonChoice>& choices, std::function<void(ButtonAction)> act,
          std::function<void(const std::string&)> log);
  Buttons(const Buttons&) = delete;
  Buttons& operator=(const Buttons&) = delete;
  ~Buttons();

  /// Tries every two seconds to open devices that aren't open. Call at each tick.
  void look();

 private:
  struct Device {
    std::filesystem::path path;
    std::vector<ButtonChoice> choices = {};
    int fd = -1;
    std::string told = {};  ///< the last problem
    std::set<std::uint16_t> held = {};
  };

  void open(Device& device);
  void close(Device& device);
  void hear(Device& device);
  void press(const Device& device, std::uint16_t code) const;

  Loop& loop_;
  std::function<void(ButtonAction)> act_;
  std::function<void(const std::string&)> log_;
  std::list<Device> devices_;
  Moment due_{};
};

}  // namespace idlemeter::meter
