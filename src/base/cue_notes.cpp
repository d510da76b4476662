#include "base/cue_notes.hpp"

namespace idlemeter::base {

std::vector<Note> notes_of(CueKind kind) {
  constexpr double kLow = 294, kMiddle = 587, kHigh = 880;  // D4, D5, A5
  switch (kind) {
    case CueKind::start:
      return {{kMiddle, 0.09}, {kHigh, 0.14}};
    case CueKind::end:
      return {{kHigh, 0.09}, {kMiddle, 0.14}};
    case CueKind::mark:
      return {{kHigh, 0.07}};
    case CueKind::failure:
      break;
  }
  return {{kLow, 0.12}, {0, 0.05}, {kLow, 0.12}, {0, 0.05}, {kLow, 0.2}};
}

}  // namespace idlemeter::base
