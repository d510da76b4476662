// Idle Meter: a video clip that an overlay is laid over.
#pragma once

#include <filesystem>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/footage/footage.hpp"

namespace idlemeter {

struct Clip {
  std::filesystem::path file;
  int width = 0, height = 0;  ///< as it is shown
  PictureRate rate = {};
  Nanoseconds length{};
  bool has_sound = false;
};

/// Asks FFmpeg's ffprobe; nothing but the file itself is opened. Throws Error if ffprobe isn't installed, or the file
/// has no video or says no length.
[[nodiscard]] Clip load_clip(const std::filesystem::path& file);

/// The tones that a recording gives its player.
enum class CueTone { start, end, mark };

/// Where one was found.
struct CueFound {
  Nanoseconds at{};  ///< its beginning, to 5 ms
  double share = 0;  ///< 0 to 1: how much of the sound the tone is, at its weaker note
};

/// Finds a tone in sound: mono samples at `rate` a second (at least 4,000). Each note has to be at least an eighth of
/// what is heard meanwhile, and to begin and end there. In order of time; O(samples).
[[nodiscard]] std::vector<CueFound> cues_in(const std::vector<std::int16_t>& sound, int rate, CueTone tone);

/// The same in a clip's own sound. Throws Error if it has none or can't be decoded.
[[nodiscard]] std::vector<CueFound> cues_in(const Clip& clip, CueTone tone);

}  // namespace idlemeter
