// Idle Meter: footage as a video file.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>

#include "idlemeter/footage/clip.hpp"
#include "idlemeter/footage/footage.hpp"

namespace idlemeter {

/// How pictures with a transparent ground are kept.
enum class FootageCodec {
  animation,  ///< QuickTime Animation in .mov: every pixel's colour and alpha, exactly
  prores,     ///< ProRes 4444 in .mov: with losses that aren't seen; takes five times as long
  vp9         ///< VP9 in .webm: small, with losses; takes four times as long
};

struct FootageFile {
  std::filesystem::path file;
  FootageCodec codec = FootageCodec::animation;  ///< without a clip
  std::optional<Clip> over = {};  ///< the overlay is laid over its pictures, as H.264; its sound is copied as it is
};

/// Called after each picture with how many are done; false ends the work.
using FootageProgress = std::function<bool(std::int64_t done)>;

/// Writes the rest of the footage with FFmpeg's ffmpeg. The file appears, or replaces one of that name, when it is
/// whole: neither an error nor the end of the program leaves a part of it. Returns false if the progress ended it.
/// Throws Error if ffmpeg isn't installed, refuses (with what it says), or the file can't be written.
[[nodiscard]] bool write_footage(Footage& footage, const FootageFile& to, const FootageProgress& progress = {});

}  // namespace idlemeter
