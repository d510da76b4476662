#include "meter/display/above.hpp"

#include <cstdlib>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "meter/display/above_wayland.hpp"
#include "meter/display/above_x11.hpp"

namespace idlemeter::meter {
namespace {

/// A game with a window on X11 isn't looked for on Wayland, which programs of X11 may be connected to as well.
class AboveEither final : public Entrance {
 public:
  AboveEither(std::unique_ptr<AboveX11> x11, Loop& loop, const std::function<bool(int)>& is_game, Host& host)
      : x11_(std::move(x11)),
        wayland_(
            loop, [this, is_game](int pid) { return is_game(pid) && !x11_->covers(pid); }, host) {}

  void look() override {
    x11_->look();
    wayland_.look();
  }

 private:
  std::unique_ptr<AboveX11> x11_;
  AboveWayland wayland_;
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
  try {
    return std::make_unique<AboveEither>(std::move(x11), loop, is_game, host);
  } catch (const Error&) {
    return std::make_unique<AboveX11>(loop, is_game, host);
  }
}

}  // namespace idlemeter::meter
