// Idle Meter: the statistics of a stretch of frames.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"

namespace idlemeter {

/// The longest interval that counts as a frame: one hour. A longer one is a pause, and is left out like one of zero or
/// less.
inline constexpr Nanoseconds kLongestFrame = std::chrono::hours(1);

/// A share of a run in parts per million, so that "the slowest 0.1 %" is exact: Share{1'000}.
/// Valid from 1 to 999'999.
struct Share {
  std::uint32_t ppm = 10'000;

  /// percent(0.1) is "the slowest 0.1 %", rounded to whole parts per million. Throws Error (misuse) if it isn't above 0
  /// and below 100.
  [[nodiscard]] static constexpr Share percent(double percent) {
    if (!(percent > 0 && percent < 100)) throw_no_share(percent);
    return {static_cast<std::uint32_t>(percent * 10'000 + 0.5)};
  }

  friend bool operator==(Share, Share) = default;

 private:
  [[noreturn]] static void throw_no_share(double percent);
};

/// "1%", "0.1%", "0.25%".
[[nodiscard]] std::string to_string(Share share);

/// Reads "1%", "0.1 %" or "5". Empty if the text isn't a number, or not above 0 and below 100 with at most four
/// decimals.
[[nodiscard]] std::optional<Share> share_from(std::string_view text);

/// What "the 1 % low" means; there is no agreement in the field, so every output names the one it uses.
enum class LowDefinition {
  mean_of_slowest,  ///< k / (sum of the k slowest frame times), k = ceil(share * N)
  percentile,       ///< 1 / percentile(1 - share) of frame time
  share_of_time,    ///< rate of the frame at which the slowest frames, longest first, fill `share` of the whole time
};

inline constexpr LowDefinition kLowDefinitions[] = {LowDefinition::mean_of_slowest, LowDefinition::percentile,
                                                    LowDefinition::share_of_time};

/// "mean of the slowest", "percentile", "share of time".
[[nodiscard]] std::string_view name_of(LowDefinition definition);

/// One low. `rate` in frames per second; `frame_time` in nanoseconds, 1e9 / rate.
struct Low {
  Share share;
  LowDefinition definition = LowDefinition::mean_of_slowest;
  double rate = 0;
  double frame_time = 0;
  bool enough_frames = false;  ///< false if there are fewer than 1 / share frames: show a mark
};

/// One percentile of frame time, `q` from 0 to 1, by linear interpolation between order statistics with h = (N-1)q
/// (Hyndman & Fan 1996, "Sample quantiles in statistical packages", type 7). `frame_time` in nanoseconds.
struct Percentile {
  double q = 0;
  double frame_time = 0;
};

/// Which figures a summary is to hold. Time to compute grows by about one pass over the frames for each.
struct SummaryRequest {
  std::vector<Share> lows = {Share{10'000}, Share{2'000}, Share{1'000}};
  std::vector<LowDefinition> definitions = {std::begin(kLowDefinitions), std::end(kLowDefinitions)};
  std::vector<double> percentiles = {0.05, 0.95, 0.99, 0.999};  ///< of frame time, each from 0 to 1
};

/// The figures of N intervals. Times in nanoseconds, rates in frames per second. What is undefined is empty, never NaN.
struct Summary {
  std::uint64_t frames = 0;    ///< N: the intervals that count
  std::uint64_t left_out = 0;  ///< intervals of zero or less or above kLongestFrame; in no other figure
  Nanoseconds time{};          ///< T: the sum of the intervals

  std::optional<double> average_rate;  ///< N / T; empty if there are no frames, as are the next three
  std::optional<double> median;        ///< frame time
  std::optional<Nanoseconds> shortest;
  std::optional<Nanoseconds> longest;
  std::optional<double> pacing;  ///< mean |t[i] - t[i-1]|; empty under two frames

  std::vector<Percentile> percentiles;  ///< in the order asked for; none if there are no frames
  std::vector<Low> lows;                ///< by share, then by definition; none if there are no frames

  /// The low asked for, or nullptr if it was not requested or there are no frames.
  [[nodiscard]] const Low* low(Share share, LowDefinition definition = LowDefinition::mean_of_slowest) const;

  /// What a reader of the figures should know, a sentence each: no frames, intervals left out, too few for a low.
  [[nodiscard]] std::vector<std::string> remarks() const;
};

/// The summary of `intervals`, nanoseconds between consecutive presents of one swapchain or drawable, in the order in
/// which they happened. Exact; O(n) time, without a sort; memory at worst a copy of the intervals. Throws Error if
/// the total passes 292 years, Error (misuse) if a percentile or share is out of its range.
[[nodiscard]] Summary summarize(std::span<const Nanoseconds> intervals, const SummaryRequest& request = {});

}  // namespace idlemeter
