#include "meter/cues/tone.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/cue_notes.hpp"

namespace idlemeter::meter {
namespace {

/// A note with a softer one an octave above, faded in and out so that it doesn't click.
void add(std::vector<std::int16_t>& samples, const base::Note& note) {
  constexpr double kLoudness = 0.3, kOctave = 0.2, kFade = 0.008;
  const auto count = static_cast<std::size_t>(note.seconds * kToneRate);
  for (std::size_t i = 0; i < count; ++i) {
    const double at = static_cast<double>(i) / kToneRate;
    const double phase = 2 * std::numbers::pi * note.hertz * at;
    const double fade = std::min({1.0, at / kFade, (note.seconds - at) / kFade});
    const double level = kLoudness * fade * (std::sin(phase) + kOctave * std::sin(2 * phase));
    samples.push_back(static_cast<std::int16_t>(std::lround(32'767 * level)));
  }
}

}  // namespace

std::vector<std::int16_t> tone_of(Cue::Kind kind) {
  std::vector<std::int16_t> samples;
  for (const base::Note& note : base::notes_of(kind)) add(samples, note);
  return samples;
}

}  // namespace idlemeter::meter
