// How the meter is attached to a game: over the link with a probe inside of it, or by a window above it.
#pragma once

#include <sys/types.h>

#include <memory>
#include <string>
#include <vector>

#include "idlemeter/draw/image.hpp"
#include "link/regions.hpp"

namespace idlemeter::meter {

/// One thread at a time.
class Attachment {
 public:
  virtual ~Attachment() = default;

  [[nodiscard]] virtual pid_t pid() const = 0;

  /// "OpenGL 4.5"; empty if it isn't known.
  [[nodiscard]] virtual std::string api() const { return {}; }

  /// Why frames can't be seen here; empty if they can.
  [[nodiscard]] virtual std::string blind() const { return {}; }

  /// Whether a game that is gone exited normally, as far as that is known.
  [[nodiscard]] virtual bool is_closed() const { return true; }

  /// The graphics driver's name and version; empty if it isn't known.
  [[nodiscard]] virtual std::string driver() const { return {}; }

  /// Appends the presents that came since the last call. Returns how many of them were lost.
  virtual std::uint32_t drain(std::vector<link::FrameEntry>& into) = 0;

  /// The size of the game's picture in pixels if it is known without a present.
  struct Size {
    std::uint32_t width = 0, height = 0;
  };
  [[nodiscard]] virtual Size size() const { return {}; }

  /// True if a picture can be handed over.
  [[nodiscard]] virtual bool takes_pictures() const = 0;

  /// Puts a picture on the game, at most link::kSlotBytes of pixels; x and y from the game's top left corner.
  virtual void publish(const Image& image, int x, int y) = 0;

  virtual void show(bool visible) = 0;

  /// A sign of life at that time.
  virtual void beat(Moment now) = 0;
};

class Game;

/// Who hears of games that come and go.
class Host {
 public:
  /// The game, until it leaves; nullptr if it isn't wanted.
  virtual Game* add_game(std::unique_ptr<Attachment> attachment) = 0;
  virtual void remove_game(Game& game) = 0;

 protected:
  ~Host() = default;
};

/// By which games come and go.
class Entrance {
 public:
  virtual ~Entrance() = default;

  /// Call at each tick.
  virtual void look() = 0;

  /// Which kind of games it can't find on this machine, and why; empty if it finds all.
  [[nodiscard]] virtual std::string unseen() const { return {}; }

  /// Lets all games go and takes no more. Does nothing if that makes no difference to others.
  virtual void close() {}
};

}  // namespace idlemeter::meter
