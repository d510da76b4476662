// Idle Meter: the overlay of a recorded run as pictures at a steady pace.
#pragma once

#include <cstdint>
#include <memory>

#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// Pictures in a second, as a ratio: 60, or 60000/1001.
struct PictureRate {
  std::int64_t count = 60, seconds = 1;  ///< both at least 1

  /// When a picture is shown, the first one at 0.
  [[nodiscard]] Nanoseconds time_of(std::int64_t picture) const;
};

struct FootageOptions {
  int width = 1920, height = 1080;  ///< pixels, 1 to 16,384 each
  PictureRate rate = {};
  Nanoseconds from{};    ///< the run's moment at the first picture; below 0: before the run
  Nanoseconds length{};  ///< of the footage
};

/// The overlay at each picture's moment of the run, with the same pixels as a live overlay. Like a live one it is
/// redrawn at most 30 times a second, and unchanged in between. It is empty before and after the run.
/// One thread at a time.
class Footage {
 public:
  /// Reads the run and lays every picture out once: see RunReplay. Throws Error as the store does,
  /// Error (misuse) if an option is out of range.
  Footage(const Store& store, std::int64_t run, Face face, const FootageOptions& options);
  Footage(Footage&&) noexcept;
  Footage& operator=(Footage&&) noexcept;
  ~Footage();

  [[nodiscard]] const FootageOptions& options() const;

  /// How many there are in all.
  [[nodiscard]] std::int64_t pictures() const;

  /// The part outside of which all pictures are transparent; of no size if all are transparent.
  [[nodiscard]] ImagePart extent() const;

  /// Draws the next picture, and returns which part of it differs from the one before.
  ImagePart next();

  /// The picture that next() has drawn; transparent where there is no overlay.
  [[nodiscard]] const Image& picture() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
