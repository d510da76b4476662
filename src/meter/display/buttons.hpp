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

/// An input device that was opened to be read, without waiting; -1 if it can't be: `problem` says why.
struct OpenDevice {
  int fd = -1;
  std::string problem = {};
};

[[nodiscard]] OpenDevice open_input_device(const std::filesystem::path& device);

/// Devices may be unplugged and come back. One thread at a time.
class Buttons {
 public:
  /// `act` is called when the last of a choice's buttons is pressed; of several choices that are, the one with most
  /// buttons. `log` gets what is wrong with a device, once. The loop has to outlive it.
  Buttons(Loop& loop, const std::vector<ButtonChoice>& choices, std::function<void(ButtonAction)> act,
          std::function<void(const std::string&)> log);
  Buttons(const Buttons&) = delete;
  Buttons& operator=(const Buttons&) = delete;
  ~Buttons();

  /// Opens devices that aren't, every two seconds. Call at each tick.
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
