#include "idlemeter/frame_readings.hpp"

namespace idlemeter {
namespace {

constexpr Share kOnePercent{10'000}, kFifth{2'000}, kTenth{1'000};

ReadingInfo info(const char* id, const char* title, const char* brief, Unit unit, int digits) {
  return {id, title, brief, "Game", DeviceKind::frames, unit, "the game's presents", digits};
}

/// What one frame reading gets its value from.
struct Figures {
  const FrameRecord& newest;
  Summary recent, span;

  [[nodiscard]] Value rate_of(std::optional<Nanoseconds> time) const {
    return time ? Value(1e9 / static_cast<double>(*time)) : Value(Missing{"no frames yet"});
  }

  [[nodiscard]] static Value of(const std::optional<double>& figure, double scale = 1) {
    return figure ? Value(*figure * scale) : Value(Missing{"no frames yet"});
  }

  [[nodiscard]] Value low(Share share) const {
    const Low* low = span.low(share);
    return low == nullptr ? Value(Missing{"no frames yet"}) : Value(low->rate);
  }

  [[nodiscard]] Value percentile(std::size_t i) const {
    return i < span.percentiles.size() ? Value(span.percentiles[i].frame_time / 1e6) : Value(Missing{"no frames yet"});
  }

  /// Milliseconds, or missing where there is no such time.
  [[nodiscard]] static Value time(Nanoseconds time, const char* reason) {
    return time > 0 ? Value(static_cast<double>(time) / 1e6) : Value(Missing{reason});
  }
};

}  // namespace

std::shared_ptr<const ReadingList> frame_reading_list() {
  static const auto list = std::make_shared<const ReadingList>(std::vector{
      info("frame.rate", "Frame rate, last half second", "FPS", Unit::frames_per_second, 0),
      info("frame.time", "Frame time of the newest frame", "Frame", Unit::millisecond, 1),
      info("frame.gpu", "GPU work on the newest frame", "GPU work", Unit::millisecond, 1),
      info("frame.average", "Average frame rate of the span", "Avg", Unit::frames_per_second, 1),
      info("frame.min", "Lowest frame rate of the span", "Min", Unit::frames_per_second, 1),
      info("frame.max", "Highest frame rate of the span", "Max", Unit::frames_per_second, 1),
      info("frame.low@1%", "1% low of the span, mean of the slowest", "1% low", Unit::frames_per_second, 1),
      info("frame.low@0.2%", "0.2% low of the span, mean of the slowest", "0.2% low", Unit::frames_per_second, 1),
      info("frame.low@0.1%", "0.1% low of the span, mean of the slowest", "0.1% low", Unit::frames_per_second, 1),
      info("frame.percentile@95%", "95th percentile of frame time of the span", "P95", Unit::millisecond, 1),
      info("frame.percentile@99%", "99th percentile of frame time of the span", "P99", Unit::millisecond, 1),
      info("frame.median", "Median frame time of the span", "Median", Unit::millisecond, 1),
      info("frame.pacing", "Mean change from frame to frame of the span", "Pacing", Unit::millisecond, 2),
      info("frame.span", "Length of the span", "Time", Unit::second, 0),
      info("frame.count", "Frames of the span", "Frames", Unit::none, 0),
  });
  return list;
}

FrameReadings::FrameReadings(LiveFrames span) : span_(std::move(span)), recent_(LiveFrames::sliding(kSecond / 2)) {}

void FrameReadings::add(const FrameRecord& frame) {
  span_.add(frame.interval);
  recent_.add(frame.interval);
  newest_ = frame;
}

std::shared_ptr<const Batch> FrameReadings::batch(Nanoseconds now) const {
  const SummaryRequest request{{kOnePercent, kFifth, kTenth}, {LowDefinition::mean_of_slowest}, {0.95, 0.99}};
  const Figures f{newest_, recent_.summary({{}, {}, {}}), span_.summary(request)};
  auto batch = std::make_shared<Batch>();
  batch->list = frame_reading_list();
  batch->time = now;
  batch->values = {
      Figures::of(f.recent.average_rate),
      Figures::time(newest_.interval, "no frames yet"),
      Figures::time(newest_.gpu_work, "the graphics driver tells no GPU time"),
      Figures::of(f.span.average_rate),
      f.rate_of(f.span.longest),
      f.rate_of(f.span.shortest),
      f.low(kOnePercent),
      f.low(kFifth),
      f.low(kTenth),
      f.percentile(0),
      f.percentile(1),
      Figures::of(f.span.median, 1e-6),
      Figures::of(f.span.pacing, 1e-6),
      static_cast<double>(f.span.time) / 1e9,
      static_cast<double>(f.span.frames),
  };
  return batch;
}

}  // namespace idlemeter
