#include "idlemeter/frames/frame_summary.hpp"

#include <fmt/format.h>

#include <charconv>
#include <chrono>
#include <cmath>
#include <stdexcept>

#include "frames/slowest_first.hpp"
#include "frames/tail.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter {

using namespace frames;
namespace frames {
namespace {

constexpr std::uint32_t kWhole = 1'000'000;  // parts per million in all
constexpr double kNanosecondsPerSecond = 1e9;

void check(const SummaryRequest& request) {
  for (double q : request.percentiles) {
    if (!(q >= 0 && q <= 1)) throw Error(Error::Code::misuse, fmt::format("percentile {} is not from 0 to 1", q));
  }
  for (Share share : request.lows) {
    if (share.ppm == 0 || share.ppm >= kWhole) {
      throw Error(Error::Code::misuse, fmt::format("share of {} ppm is not between 0 and 1,000,000", share.ppm));
    }
  }
}

/// Frame time of rank r, 0 the shortest.
double at_rank(const TailView& view, std::uint64_t frames, std::uint64_t rank) {
  return static_cast<double>(view.slowest(frames - rank).kth.count());
}

/// Position h splits into a whole rank and a rest; the whole rank comes exactly from parts per million if q is given
/// so.
double between_ranks(const TailView& view, std::uint64_t frames, std::uint64_t rank, double rest) {
  const double lower = at_rank(view, frames, rank);
  if (rest == 0 || rank + 1 >= frames) return lower;
  return lower + rest * (at_rank(view, frames, rank + 1) - lower);
}

double percentile(const TailView& view, std::uint64_t frames, double q) {
  const double h = static_cast<double>(frames - 1) * q;
  const double rank = std::floor(h);
  return between_ranks(view, frames, static_cast<std::uint64_t>(rank), h - rank);
}

/// percentile(1 - share), with the rank in whole numbers: 1 - 0.001 is not a binary fraction.
double percentile_above(const TailView& view, std::uint64_t frames, Share share) {
  const Int128 h = static_cast<Int128>(frames - 1) * (kWhole - share.ppm);
  return between_ranks(view, frames, static_cast<std::uint64_t>(h / kWhole), static_cast<double>(h % kWhole) / kWhole);
}

double mean_of_slowest(const TailView& view, std::uint64_t frames, Share share) {
  const auto k = static_cast<std::uint64_t>((static_cast<Int128>(frames) * share.ppm + kWhole - 1) / kWhole);
  return static_cast<double>(view.slowest(k).sum.count()) / static_cast<double>(k);
}

double low_frame_time(const TailView& view, const Totals& totals, Share share, LowDefinition definition) {
  switch (definition) {
    case LowDefinition::mean_of_slowest:
      return mean_of_slowest(view, totals.frames, share);
    case LowDefinition::percentile:
      return percentile_above(view, totals.frames, share);
    case LowDefinition::share_of_time:
      break;
  }
  // In whole nanoseconds a sum reaches the share when it reaches the next whole one.
  const Int128 time = (static_cast<Int128>(totals.time.count()) * share.ppm + kWhole - 1) / kWhole;
  return static_cast<double>(view.reaching(Nanoseconds(static_cast<std::int64_t>(time))).count());
}

Low low(const TailView& view, const Totals& totals, Share share, LowDefinition definition) {
  const double time = low_frame_time(view, totals, share, definition);
  const bool enough = static_cast<Int128>(totals.frames) * share.ppm >= kWhole;
  return {share, definition, kNanosecondsPerSecond / time, time, enough};
}

/// Sums along the intervals and drops those that aren't frames.
Totals count(std::span<const Nanoseconds> intervals) {
  Totals totals;
  Nanoseconds previous{};
  for (Nanoseconds interval : intervals) {
    if (!is_frame(interval)) {
      ++totals.left_out;
      continue;
    }
    if (totals.frames++ > 0) totals.steps += std::chrono::abs(interval - previous);
    totals.time += interval;
    previous = interval;
  }
  return totals;
}

}  // namespace

Summary figures(const TailView& view, const Totals& totals, const SummaryRequest& request) {
  check(request);
  Summary summary;
  summary.frames = totals.frames;
  summary.left_out = totals.left_out;
  summary.time = totals.time;
  if (totals.frames == 0) return summary;

  const std::uint64_t n = totals.frames;
  summary.average_rate = static_cast<double>(n) * kNanosecondsPerSecond / static_cast<double>(totals.time.count());
  summary.median = percentile(view, n, 0.5);
  summary.longest = view.slowest(1).kth;
  summary.shortest = view.shortest();
  if (n > 1) summary.pacing = static_cast<double>(totals.steps.count()) / static_cast<double>(n - 1);
  summary.percentiles.reserve(request.percentiles.size());
  summary.lows.reserve(request.lows.size() * request.definitions.size());
  for (double q : request.percentiles) summary.percentiles.push_back({q, percentile(view, n, q)});
  for (Share share : request.lows) {
    for (LowDefinition definition : request.definitions) {
      summary.lows.push_back(low(view, totals, share, definition));
    }
  }
  return summary;
}

}  // namespace frames

void Share::throw_no_share(double percent) {
  throw Error(Error::Code::misuse, fmt::format("{} % is no share: it is above 0 and below 100", percent));
}

std::string to_string(Share share) { return fmt::format("{}%", share.ppm / 1e4); }

std::optional<Share> share_from(std::string_view text) {
  while (!text.empty() && (text.back() == '%' || text.back() == ' ')) text.remove_suffix(1);
  double percent = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), percent, std::chars_format::fixed);
  if (error != std::errc{} || end != text.data() + text.size() || !(percent > 0 && percent < 100)) return std::nullopt;
  const double ppm = std::round(percent * 1e4);
  if (ppm < 1 || ppm >= frames::kWhole || std::abs(percent * 1e4 - ppm) > 1e-6) return std::nullopt;
  return Share{static_cast<std::uint32_t>(ppm)};
}

std::string_view name_of(LowDefinition definition) {
  switch (definition) {
    case LowDefinition::mean_of_slowest:
      return "mean of the slowest";
    case LowDefinition::percentile:
      return "percentile";
    case LowDefinition::share_of_time:
      break;
  }
  return "share of time";
}

const Low* Summary::low(Share share, LowDefinition definition) const {
  for (const Low& candidate : lows) {
    if (candidate.share == share && candidate.definition == definition) return &candidate;
  }
  return nullptr;
}

namespace {

void add_remarks(const std::vector<Low>& lows, std::size_t frames, std::vector<std::string>& remarks) {
  const Low* previous = nullptr;
  for (const Low& low : lows) {
    if (!low.enough_frames && (previous == nullptr || previous->share != low.share)) {
      remarks.push_back(fmt::format("the {} low wants at least {} frames; this has {}", to_string(low.share),
                                    (frames::kWhole + low.share.ppm - 1) / low.share.ppm, frames));
    }
    previous = &low;
  }
}

}  // namespace

std::vector<std::string> Summary::remarks() const {
  std::vector<std::string> remarks;
  if (frames == 0) remarks.emplace_back("no frames: no figure is defined");
  if (left_out > 0) {
    remarks.push_back(fmt::format("{} interval{} of zero or less or over an hour left out of every figure", left_out,
                                  left_out == 1 ? "" : "s"));
  }
  add_remarks(lows, frames, remarks);
  return remarks;
}

Summary summarize(std::span<const Nanoseconds> intervals, const SummaryRequest& request) {
  // The sum of n frames of at most an hour fits 64 bits up to 2.5 million of them; above that it is worth a second
  // look.
  constexpr auto kSurelyFits = static_cast<std::size_t>(Nanoseconds::max() / kLongestFrame);
  if (intervals.size() > kSurelyFits) {
    frames::Int128 time = 0;
    for (Nanoseconds interval : intervals) time += frames::is_frame(interval) ? interval.count() : 0;
    if (time > Nanoseconds::max().count())
      throw Error(Error::Code::invalid, "the frames add up to more than 292 years");
  }
  const frames::Totals totals = frames::count(intervals);
  return frames::figures(frames::SlowestFirst(intervals), totals, request);
}

}  // namespace idlemeter
