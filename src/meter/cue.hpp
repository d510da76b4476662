// What is signalled to a player whose eyes are on the game.
#pragma once

#include <cstdint>
#include <string>

namespace idlemeter::meter {

struct Cue {
  enum class Kind : std::uint8_t { start, end, mark, failure } kind = Kind::start;
  std::string text = {};   ///< a few words, to be spoken: "recording 2 of 5"
  std::string about = {};  ///< more, to be read: the game's name, why it failed
};

}  // namespace idlemeter::meter
