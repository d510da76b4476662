// The notes of the cues' tones.
#pragma once

#include <cstdint>
#include <vector>

namespace idlemeter::base {

enum class CueKind : std::uint8_t { start, end, mark, failure };

struct Note {
  double hertz;  ///< 0: a rest
  double seconds;
};

/// A start rises, an end falls, a mark is one short note, and a failure three low ones.
[[nodiscard]] std::vector<Note> notes_of(CueKind kind);

}  // namespace idlemeter::base
