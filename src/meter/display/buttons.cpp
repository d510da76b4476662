#include "meter/display/buttons.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <linux/input.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <utility>

namespace idlemeter::meter {

OpenDevice open_input_device(const std::filesystem::path& device) {
  const int fd = ::open(device.c_str(), O_RDONLY | O_NONBLOCK | O_NOCTTY | O_CLOEXEC);
  if (fd < 0) return {.problem = std::strerror(errno)};
  struct stat about {};
  if (::fstat(fd, &about) == 0 && S_ISCHR(about.st_mode)) return {fd};
  ::close(fd);
  return {.problem = "it isn't a device"};
}

Buttons::Buttons(Loop& loop, const std::vector<ButtonChoice>& choices, std::function<void(ButtonAction)> act,
                 std::function<void(const std::string&)> log)
    : loop_(loop), act_(std::move(act)), log_(std::move(log)) {
  for (const ButtonChoice& choice : choices) {
    const auto same = [&](const Device& device) { return device.path == choice.device; };
    auto device = std::find_if(devices_.begin(), devices_.end(), same);
    if (device == devices_.end()) device = devices_.insert(devices_.end(), Device{choice.device});
    device->choices.push_back(choice);
  }
}

Buttons::~Buttons() {
  for (Device& device : devices_) close(device);
}

void Buttons::look() {
  constexpr Nanoseconds kEvery = 2 * kSecond;
  if (devices_.empty() || monotonic_now() < due_) return;
  due_ = monotonic_now() + kEvery;
  for (Device& device : devices_) open(device);
}

void Buttons::open(Device& device) {
  if (device.fd >= 0) return;
  OpenDevice opened = open_input_device(device.path);
  device.fd = opened.fd;
  if (device.fd >= 0) {
    device.told.clear();
    loop_.watch(device.fd, [this, &device] { hear(device); });
  } else if (opened.problem != std::exchange(device.told, opened.problem)) {
    log_(fmt::format("no buttons of {}: {}", device.path.string(), opened.problem));
  }
}

void Buttons::close(Device& device) {
  if (device.fd < 0) return;
  loop_.unwatch(device.fd);
  ::close(std::exchange(device.fd, -1));
  device.held.clear();
}

/// A read returns whole events.
void Buttons::hear(Device& device) {
  std::array<input_event, 64> events;
  for (ssize_t got; (got = ::read(device.fd, events.data(), sizeof events)) != 0;) {
    if (got < 0 && errno == EINTR) continue;
    if (got < 0 && errno == EAGAIN) return;
    if (got < 0) break;
    for (std::size_t i = 0; i < static_cast<std::size_t>(got) / sizeof(input_event); ++i) {
      const input_event& event = events[i];
      if (event.type == EV_SYN && event.code == SYN_DROPPED)
        device.held.clear();                                  // events were lost, a release may be among them
      if (event.type != EV_KEY || event.value > 1) continue;  // 2: repeated while it is held
      if (event.value == 0) {
        device.held.erase(event.code);
      } else if (device.held.insert(event.code).second) {
        press(device, event.code);
      }
    }
  }
  close(device);  // unplugged
}

void Buttons::press(const Device& device, std::uint16_t code) const {
  const ButtonChoice* longest = nullptr;
  for (const ButtonChoice& choice : device.choices) {
    const auto& codes = choice.codes;
    const bool is_last = std::find(codes.begin(), codes.end(), code) != codes.end();
    const bool all = std::all_of(codes.begin(), codes.end(), [&](auto one) { return device.held.contains(one); });
    if (is_last && all && (longest == nullptr || codes.size() > longest->codes.size())) longest = &choice;
  }
  if (longest != nullptr) act_(longest->does);
}

}  // namespace idlemeter::meter
