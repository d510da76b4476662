// Idle Meter: which part of a run is drawn, and over which part of a clip, as people say it.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

#include "idlemeter/footage/clip.hpp"
#include "idlemeter/footage/footage.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// Moments of the run are times like "0:42" (idlemeter/base/duration.hpp), or marks like "mark 2".
struct FootageRequest {
  std::int64_t run = 0;
  std::string from = {};            ///< empty: the run's start
  std::string until = {};           ///< empty: its end; without meaning over a clip
  std::filesystem::path over = {};  ///< a clip; empty: the footage is transparent
  std::string clip_from = {};       ///< where `from` is in the clip: a time, or "tone"; empty: at its beginning
  int width = 1920, height = 1080;  ///< pixels; over a clip, the clip's
  PictureRate rate = {};            ///< over a clip, the clip's
};

struct FootagePlan {
  FootageOptions options = {};
  std::optional<Clip> over = {};
  std::optional<CueFound> tone = {};  ///< the one that was found in the clip's sound, if it was looked for
  std::size_t tones = 0;              ///< how many there are
};

/// Throws Error as the store and load_clip() do, and if a moment is invalid, doesn't exist, or leaves nothing to draw.
[[nodiscard]] FootagePlan plan_footage(const Store& store, const FootageRequest& request);

/// 2 of "mark 2", 1 of "mark"; empty if it isn't a mark.
[[nodiscard]] std::optional<std::size_t> mark_number(std::string_view text);

/// "60", "59.94" (60000/1001), "60000/1001"; empty if it isn't a rate of 1 to 240 pictures a second.
[[nodiscard]] std::optional<PictureRate> picture_rate_from(std::string_view text);

}  // namespace idlemeter
