// The sounds of cues, made from sines.
#pragma once

#include <cstdint>
#include <vector>

#include "meter/cues/cue.hpp"

namespace idlemeter::meter {

inline constexpr int kToneRate = 48'000;  // samples a second

/// Mono; see base/cue_notes.hpp.
[[nodiscard]] std::vector<std::int16_t> tone_of(Cue::Kind kind);

}  // namespace idlemeter::meter
