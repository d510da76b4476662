#include <algorithm>
#include <cmath>
#include <complex>
#include <cstdint>
#include <map>
#include <numbers>
#include <stdexcept>

#include "base/cue_notes.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/footage/clip.hpp"

namespace idlemeter {
namespace {

using base::CueKind;
using base::Note;

constexpr int kBlocksPerSecond = 200;
constexpr double kLeastShare = 0.125;
constexpr double kEdge = 0.02;  // of a note's energy in as much time, just before and after it

/// A sound's energy, and how much of a frequency is in it, in blocks of 5 ms. By sums from the start, so that any
/// stretch takes constant time (a discrete Fourier transform at one frequency).
class Blocks {
 public:
  Blocks(const std::vector<std::int16_t>& sound, int rate, double hertz)
      : size_(static_cast<std::size_t>(rate) / kBlocksPerSecond) {
    const std::size_t count = sound.size() / size_;
    tone_.resize(count + 1);
    energy_.resize(count + 1);
    const double step = 2 * std::numbers::pi * hertz / rate;
    std::vector<std::complex<double>> turn(size_);
    for (std::size_t i = 0; i < size_; ++i) turn[i] = std::polar(1.0, -step * static_cast<double>(i));
    for (std::size_t block = 0; block < count; ++block) {
      std::complex<double> sum = 0;
      double energy = 0;
      for (std::size_t i = 0; i < size_; ++i) {
        const double x = sound[block * size_ + i];
        sum += x * turn[i];
        energy += x * x;
      }
      sum *= std::polar(1.0, -step * static_cast<double>(block * size_));
      tone_[block + 1] = tone_[block] + sum;
      energy_[block + 1] = energy_[block] + energy;
    }
  }

  [[nodiscard]] std::size_t count() const { return tone_.size() - 1; }

  /// The energy of the frequency in blocks [from, to); nothing lies beyond the sound.
  [[nodiscard]] double tone(std::ptrdiff_t from, std::ptrdiff_t to) const {
    const std::size_t begin = within(from), end = within(to);
    if (end <= begin) return 0;
    return 2 * std::norm(tone_[end] - tone_[begin]) / static_cast<double>((end - begin) * size_);
  }

  /// The part of the energy that is of the frequency, 0 to 1.
  [[nodiscard]] double share(std::ptrdiff_t from, std::ptrdiff_t to) const {
    const double all = energy_[within(to)] - energy_[within(from)];
    constexpr double kSilence = 100;  // a sample's square: 10 of 32,767
    return all > kSilence * static_cast<double>((to - from) * static_cast<std::ptrdiff_t>(size_))
               ? std::min(1.0, tone(from, to) / all)
               : 0;
  }

 private:
  [[nodiscard]] std::size_t within(std::ptrdiff_t block) const {
    return static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(block, 0, static_cast<std::ptrdiff_t>(count())));
  }

  std::size_t size_;
  std::vector<std::complex<double>> tone_;
  std::vector<double> energy_;
};

/// Notes that follow each other, looked for in a sound.
class Tune {
 public:
  Tune(std::vector<Note> notes, const std::vector<std::int16_t>& sound, int rate) : notes_(std::move(notes)) {
    for (const Note& note : notes_) {
      if (!heard_.contains(note.hertz)) heard_.emplace(note.hertz, Blocks(sound, rate, note.hertz));
    }
  }

  /// In blocks.
  [[nodiscard]] std::ptrdiff_t length() const {
    std::ptrdiff_t all = 0;
    for (const Note& note : notes_) all += length_of(note);
    return all;
  }

  /// How purely it sounds from that block on, 0 to 1: that of its least pure note.
  [[nodiscard]] double share_at(std::ptrdiff_t block) const {
    double least = 1;
    for (const Note& note : notes_) {
      least = std::min(least, share_of(note, block));
      block += length_of(note);
    }
    return least;
  }

 private:
  static std::ptrdiff_t length_of(const Note& note) { return std::lround(note.seconds * kBlocksPerSecond); }

  [[nodiscard]] double share_of(const Note& note, std::ptrdiff_t at) const {
    const Blocks& blocks = heard_.at(note.hertz);
    const std::ptrdiff_t length = length_of(note);
    // A note that sounds on before or after is another's.
    const double within = blocks.tone(at, at + length);
    const auto sounds = [&](std::ptrdiff_t from, std::ptrdiff_t to) {
      return blocks.tone(from, to) > kEdge * within / 2;
    };
    const bool goes_on = sounds(at - length / 2, at) || sounds(at + length, at + length + length / 2);
    return goes_on ? 0 : blocks.share(at, at + length);
  }

  std::vector<Note> notes_;
  std::map<double, Blocks> heard_;  // by frequency
};

CueKind kind_of(CueTone tone) {
  return tone == CueTone::start ? CueKind::start : tone == CueTone::end ? CueKind::end : CueKind::mark;
}

}  // namespace

std::vector<CueFound> cues_in(const std::vector<std::int16_t>& sound, int rate, CueTone tone) {
  if (rate < 4'000 || rate > 768'000) throw Error(Error::Code::misuse, "sound has 4,000 to 768,000 samples a second");
  const Tune tune(base::notes_of(kind_of(tone)), sound, rate);
  std::vector<CueFound> found;
  std::ptrdiff_t last = -tune.length();  // two are never closer
  const std::ptrdiff_t count = std::ssize(sound) / (rate / kBlocksPerSecond);
  for (std::ptrdiff_t block = 0; block < count; ++block) {
    const double share = tune.share_at(block);
    if (share < kLeastShare) continue;
    const bool is_same = block - last < tune.length();
    if (is_same && share <= found.back().share) continue;
    if (is_same) found.pop_back();
    last = block;
    found.push_back({kSecond * block / kBlocksPerSecond, share});
  }
  return found;
}

}  // namespace idlemeter
