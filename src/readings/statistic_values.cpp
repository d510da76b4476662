#include "readings/statistic_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter::readings {
namespace {

using Quantity = FrameStatistic::Quantity;

double part(Share share) { return share.ppm / 1e6; }

Value rate_of(const std::optional<Nanoseconds>& time) {
  return time ? Value(1 / in_seconds(*time)) : Value(Missing{kNoFrames});
}

Value scaled(const std::optional<double>& figure, double scale) {
  return figure ? Value(*figure * scale) : Value(Missing{kNoFrames});
}

Value percentile_of(const Summary& summary, double q) {
  for (const Percentile& percentile : summary.percentiles) {
    if (percentile.q == q) return percentile.frame_time / 1e6;
  }
  return Missing{kNoFrames};
}

}  // namespace

ReadingInfo frame_info(std::string id, std::string title, std::string brief, Unit unit, int digits) {
  return {std::move(id), std::move(title), std::move(brief), "Game", DeviceKind::frames, unit, "the game's presents",
          digits};
}

ReadingInfo info_of(const FrameStatistic& s, const std::string& of) {
  const std::string id = id_of(s), share = to_string(s.share);
  constexpr Unit kRate = Unit::frames_per_second, kTime = Unit::millisecond;
  switch (s.quantity) {
    case Quantity::average:
      return frame_info(id, "Average frame rate" + of, "Avg", kRate, 1);
    case Quantity::min:
      return frame_info(id, "Lowest frame rate" + of, "Min", kRate, 1);
    case Quantity::max:
      return frame_info(id, "Highest frame rate" + of, "Max", kRate, 1);
    case Quantity::low:
      return frame_info(id, fmt::format("{} low{}, {}", share, of, name_of(s.definition)), share + " low", kRate, 1);
    case Quantity::percentile:
      return frame_info(id, fmt::format("{} percentile of frame time{}", share, of),
                        "P" + share.substr(0, share.size() - 1), kTime, 1);
    case Quantity::median:
      return frame_info(id, "Median frame time" + of, "Median", kTime, 1);
    case Quantity::pacing:
      return frame_info(id, "Mean change from frame to frame" + of, "Pacing", kTime, 2);
    case Quantity::span:
      return frame_info(id, "Length" + of, "Time", Unit::second, 0);
    case Quantity::count:
      break;
  }
  return frame_info(id, "Frames" + of, "Frames", Unit::none, 0);
}

void add_to(SummaryRequest& request, const FrameStatistic& s) {
  const auto want = [](auto& list, const auto& value) {
    if (std::find(list.begin(), list.end(), value) == list.end()) list.push_back(value);
  };
  if (s.quantity == Quantity::percentile) want(request.percentiles, part(s.share));
  if (s.quantity != Quantity::low) return;
  want(request.lows, s.share);
  want(request.definitions, s.definition);
}

Value value_of(const FrameStatistic& s, const Summary& summary) {
  switch (s.quantity) {
    case Quantity::average:
      return scaled(summary.average_rate, 1);
    case Quantity::min:
      return rate_of(summary.longest);
    case Quantity::max:
      return rate_of(summary.shortest);
    case Quantity::low: {
      const Low* low = summary.low(s.share, s.definition);
      return low == nullptr ? Value(Missing{kNoFrames}) : Value(low->rate);
    }
    case Quantity::percentile:
      return percentile_of(summary, part(s.share));
    case Quantity::median:
      return scaled(summary.median, 1e-6);
    case Quantity::pacing:
      return scaled(summary.pacing, 1e-6);
    case Quantity::span:
      return in_seconds(summary.time);
    case Quantity::count:
      break;
  }
  return static_cast<double>(summary.frames);
}

bool is_uncertain(const FrameStatistic& s, const Summary& summary) {
  if (s.quantity != Quantity::low && s.quantity != Quantity::percentile) return false;
  const double share = s.quantity == Quantity::low ? part(s.share) : std::min(part(s.share), 1 - part(s.share));
  return static_cast<double>(summary.frames) * share < 1 - 1e-9;
}

}  // namespace idlemeter::readings
