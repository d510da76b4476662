// Idle Meter: where a series of numbers changes its level or its slope.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace idlemeter {

/// A series' own noise.
struct Noise {
  double spread = 0;     ///< standard deviation around a running median, robustly (1.4826 * median absolute deviation);
                         ///< or of half minutes around lines through their neighbours, if that is more
  double inflation = 1;  ///< how much more a mean varies than one of independent numbers: (1 + r) / (1 - r), at least
                         ///< 1, with the correlation r of neighbours (of an AR(1) process)
};

/// Of numbers at a steady pace; `window` of them make the running median. A spread of 0 means that most numbers are
/// their neighbours' median. Of a series of more than 5,400 numbers, some 1,000 places are looked at. O(n *
/// window).
[[nodiscard]] Noise noise_of(std::span<const double> series, std::size_t window = 61);

/// A part of a series that one line describes.
struct Stretch {
  std::size_t begin = 0, end = 0;  ///< numbers [begin, end)
  double level = 0;                ///< mean
  double first = 0, last = 0;      ///< of the line through it, at its first and last number
};

struct StretchRules {
  /// What a change has to save to be one, as twice the logarithm of a likelihood: higher finds fewer. At 40 a
  /// series without changes shows one in some thousand hours of seconds.
  double penalty = 40;
  std::size_t least = 5;        ///< numbers in a stretch
  std::size_t look_back = 900;  ///< numbers after which a change that wasn't seen so far isn't looked for any more,
                                ///< but at the places that were likely by then
};

/// The series in stretches that follow each other without gaps: those with the least squared distance of the numbers to
/// a line through each stretch, plus the penalty for each change. By PELT's recursion (Killick, Fearnhead & Eckley
/// 2012, optimal partitioning after Jackson et al. 2005) with candidates that are given up after `look_back` numbers,
/// so that hours without a change take no more time than others. Outliers count as four spreads. Series of more than
/// 600 numbers are searched in blocks of 2 first, those of more than 5,400 in blocks of 8, and of more than 43,200 in
/// blocks of 16: shorter stretches than two blocks aren't found in them. O(n * log(look_back)).
/// Empty for an empty series. `spreads`: each number's own (above 0), where they aren't all the noise's. Throws
/// Error (misuse) if a number isn't finite, spreads are of another length, or a rule is out of its range.
[[nodiscard]] std::vector<Stretch> stretches_of(std::span<const double> series, const Noise& noise,
                                                const StretchRules& rules = {}, std::span<const double> spreads = {});

}  // namespace idlemeter
