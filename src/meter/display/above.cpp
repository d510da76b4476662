#include "meter/display/above.hpp"

#include <fmt/format.h>

#include <cstdlib>
#include <optional>
#include <string>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "meter/display/above_wayland.hpp"
#include "meter/display/above_x11.hpp"

namespace idlemeter::meter {
namespace {

/// Skips games on Wayland that have a window on X11: a program may be connected to both.
class AboveEither final : public Entrance {
 public:
  AboveEither(std::unique_ptr<AboveX11> x11, Loop& loop, const std::function<bool(int)>& is_game, Host& host)
      : x11_(std::move(x11)) {
    try {
      wayland_.emplace(
          loop, [this, is_game](int pid) { return is_game(pid) && !x11_->covers(pid); }, host);
    } catch (const Error& error) {
      unseen_ = fmt::format("games of Wayland can't have one here: {}", error.problem());
    }
  }

  void look() override {
    x11_->look();
    if (wayland_) wayland_->look();
  }

  [[nodiscard]] std::string unseen() const override { return unseen_; }

 private:
  std::unique_ptr<AboveX11> x11_;
  std::optional<AboveWayland> wayland_;
  std::string unseen_;
};

}  // namespace

std::unique_ptr<Entrance> windows_above(Loop& loop, const std::function<bool(int)>& is_game, Host& host) {
  if (std::getenv("WAYLAND_DISPLAY") == nullptr) return std::make_unique<AboveX11>(loop, is_game, host);
  std::unique_ptr<AboveX11> x11;
  try {
    x11 = std::make_unique<AboveX11>(loop, is_game, host);
  } catch (const Error&) {
    return std::make_unique<AboveWayland>(loop, is_game, host);
  }
  return std::make_unique<AboveEither>(std::move(x11), loop, is_game, host);
}

}  // namespace idlemeter::meter
