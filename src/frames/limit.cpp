#include "idlemeter/frames/limit.hpp"

#include <algorithm>
#include <cmath>

#include "frames/median.hpp"
#include "frames/tail.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"

namespace idlemeter {

using namespace frames;

namespace {

constexpr double kGraphics = 0.95, kProcessor = 0.80;       // median of GPU work over frame time
constexpr double kGraphicsLoad = 97, kProcessorLoad = 80;   // percent, if there are no GPU times
constexpr double kConstant = 0.03, kExceptions = 1.0 / 20;  // of a cap

bool is_constant(const std::vector<double>& lengths, double median) {
  const auto apart = std::count_if(lengths.begin(), lengths.end(),
                                   [&](double length) { return std::abs(length - median) > kConstant * median; });
  return static_cast<double>(apart) <= kExceptions * static_cast<double>(lengths.size());
}

Limit by_share(double share, double graphics, double processor) {
  return share >= graphics ? Limit::graphics : share < processor ? Limit::processor : Limit::mixed;
}

/// The frames of one second, gathered.
struct Second {
  Moment begin{};
  Nanoseconds time{};
  std::vector<double> lengths, shares;  // frame times; GPU work over frame time, if that is known

  void add(const FrameRecord& frame) {
    if (lengths.empty()) begin = frame.at - frame.interval;
    time += frame.interval;
    const auto length = static_cast<double>(frame.interval.count());
    lengths.push_back(length);
    if (frame.gpu_work > Nanoseconds{}) shares.push_back(static_cast<double>(frame.gpu_work.count()) / length);
  }

  LimitedSecond judged(const LoadAt& load) {
    LimitedSecond second{.begin = begin};
    const bool timed = 2 * shares.size() >= lengths.size();
    const auto percent = timed || !load ? std::nullopt : load(begin + time / 2);
    if (timed) second.gpu_share = median_of(shares);
    if (timed) second.by = by_share(*second.gpu_share, kGraphics, kProcessor);
    if (percent) second.by = by_share(*percent, kGraphicsLoad, kProcessorLoad);
    const bool is_known = timed || percent;
    if (is_known && second.by != Limit::graphics && is_constant(lengths, median_of(lengths))) second.by = Limit::cap;
    return second;
  }

  void clear() {
    time = {};
    lengths.clear();
    shares.clear();
  }
};

}  // namespace

std::string_view name_of(Limit limit) {
  constexpr std::string_view kNames[] = {"graphics card", "processor", "mixed", "rate cap", "unknown"};
  return kNames[static_cast<std::size_t>(limit)];
}

Limit Limits::main() const {
  const auto most = std::max_element(shares.begin(), shares.end());
  return *most > 0 ? static_cast<Limit>(most - shares.begin()) : Limit::unknown;
}

Limits find_limits(std::span<const FrameRecord> frames, const LoadAt& load) {
  Limits limits;
  Second second;
  Nanoseconds all{};
  std::array<Nanoseconds, 5> times{};
  const auto close = [&] {
    if (second.lengths.empty()) return;
    limits.seconds.push_back(second.judged(load));
    times[static_cast<std::size_t>(limits.seconds.back().by)] += second.time;
    all += second.time;
    second.clear();
  };
  for (const FrameRecord& frame : frames) {
    if (!is_frame(frame.interval)) continue;
    second.add(frame);
    if (second.time >= kSecond) close();
  }
  close();
  for (std::size_t i = 0; i < times.size() && all > Nanoseconds{}; ++i)
    limits.shares[i] = in_seconds(times[i]) / in_seconds(all);
  return limits;
}

}  // namespace idlemeter
