#include "readings/latency_readings.hpp"

#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/frame_latency.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "readings/statistic_values.hpp"

namespace idlemeter::readings {
namespace {

constexpr Nanoseconds kWindow = kSecond / 2, kFresh = kSecond;
constexpr const char* kNoGpu = "the graphics driver doesn't report when the GPU's work ends";
constexpr const char* kNoScreen = "the graphics driver doesn't report when frames reach the screen";

Value mean(Nanoseconds sum, std::int64_t count, const char* reason) {
  return count > 0 ? Value(in_milliseconds(sum) / static_cast<double>(count)) : Value(Missing{reason});
}

/// Of the last half second; of a game that is timed less often, the newest.
Value recent_mean(const std::deque<std::pair<Moment, Nanoseconds>>& recent, Moment now, const char* reason) {
  Nanoseconds sum{};
  std::int64_t count = 0;
  for (auto one = recent.rbegin(); one != recent.rend(); ++one) {
    if (now - one->first > (count == 0 ? kFresh : kWindow)) break;
    sum += one->second;
    ++count;
  }
  return mean(sum, count, reason);
}

}  // namespace

std::vector<ReadingInfo> newest_latencies() {
  return {frame_info("frame.latency", "Latency from the start of a frame to the end of the GPU's work", "Latency",
                     Unit::millisecond, 1),
          frame_info("frame.screen.latency", "Latency from the start of a frame to the screen", "To screen",
                     Unit::millisecond, 1)};
}

void LatencyReadings::Latency::add(Moment at, Nanoseconds latency) {
  if (latency <= Nanoseconds{}) return;
  recent.emplace_back(at, latency);
  while (at - recent.front().first > kFresh) recent.pop_front();
  sum += latency;
  ++count;
}

void LatencyReadings::add(const FrameLatency& latency) {
  gpu_.add(latency.at, latency.gpu);
  screen_.add(latency.at, latency.screen);
}

void LatencyReadings::clear() { gpu_.sum = screen_.sum = {}, gpu_.count = screen_.count = 0; }

std::shared_ptr<const Batch> LatencyReadings::newest(Moment now) const {
  static const auto list = std::make_shared<const ReadingList>(newest_latencies());
  return std::make_shared<const Batch>(
      Batch{list, {recent_mean(gpu_.recent, now, kNoGpu), recent_mean(screen_.recent, now, kNoScreen)}, now});
}

std::shared_ptr<const Batch> LatencyReadings::averages(Moment now) const {
  static const auto list = std::make_shared<const ReadingList>(std::vector{
      frame_info("frame.latency.average", "Mean latency to the end of the GPU's work", "Avg latency", Unit::millisecond,
                 1),
      frame_info("frame.screen.latency.average", "Mean latency to the screen", "Avg to screen", Unit::millisecond, 1)});
  return std::make_shared<const Batch>(
      Batch{list, {mean(gpu_.sum, gpu_.count, kNoGpu), mean(screen_.sum, screen_.count, kNoScreen)}, now});
}

}  // namespace idlemeter::readings
