// What is signalled to a player whose eyes are on the game.
#pragma once

#include <string>

#include "base/cue_notes.hpp"

namespace idlemeter::meter {

struct Cue {
  using Kind = base::CueKind;
  Kind kind = Kind::start;
  std::string text = {};   ///< a few words, to be spoken: "recording 2 of 5"
  std::string about = {};  ///< more, to be read: the game's name, why it failed
};

}  // namespace idlemeter::meter
