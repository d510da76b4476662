#include "insight/run/insight_bytes.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <type_traits>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter::insight {
namespace {

static_assert(std::endian::native == std::endian::little, "numbers are kept as they are in memory");

template <typename Number>
concept Plain = std::is_arithmetic_v<Number>;
template <typename Choice>
concept Enum = std::is_enum_v<Choice>;

constexpr int last_of(LowDefinition) { return static_cast<int>(LowDefinition::share_of_time); }
constexpr int last_of(Limit) { return static_cast<int>(Limit::unknown); }
constexpr int last_of(DeviceKind) { return static_cast<int>(DeviceKind::own); }
constexpr int last_of(DoubtRule) { return static_cast<int>(DoubtRule::size_changed); }
constexpr int last_of(Unit) { return static_cast<int>(Unit::frames_per_joule); }

// What is kept of each type, for writing and for reading alike.

void fields(auto& bytes, Percentile& one) { bytes(one.q, one.frame_time); }
void fields(auto& bytes, Low& one) {
  bytes(one.share.ppm, one.definition, one.rate, one.frame_time, one.enough_frames);
}
void fields(auto& bytes, Summary& s) {
  bytes(s.frames, s.left_out, s.time, s.average_rate, s.median, s.shortest, s.longest, s.pacing, s.percentiles, s.lows);
}
void fields(auto& bytes, Stutter& one) { bytes(one.frame, one.at, one.length, one.lost); }
void fields(auto& bytes, Hitch& one) { bytes(one.begin, one.length, one.stutters, one.worst, one.lost); }
void fields(auto& bytes, Stutters& all) { bytes(all.frames, all.hitches, all.time, all.lost, all.share); }
void fields(auto& bytes, LimitedSecond& one) { bytes(one.begin, one.by, one.gpu_share); }
void fields(auto& bytes, Limits& all) { bytes(all.seconds, all.shares); }
void fields(auto& bytes, ReadingInfo& info) {
  bytes(info.id, info.title, info.brief, info.device, info.kind, info.unit, info.source, info.digits, info.alias);
}
void fields(auto& bytes, SeriesSummary& all) { bytes(all.mean, all.least, all.most, all.samples); }
void fields(auto& bytes, ReadingInsight& one) { bytes(one.info, one.all, one.first, one.last, one.over); }
void fields(auto& bytes, RunMark& mark) { bytes(mark.at, mark.about); }
void fields(auto& bytes, Doubt& doubt) { bytes(doubt.rule, doubt.text); }
void fields(auto& bytes, RunInsight& run) {
  bytes(run.summary, run.longest_at, run.stutters, run.limits, run.limits_by_gpu_times, run.edge,
        run.frames_per_joule_graphics, run.frames_per_joule_processor, run.frames_per_joule_both, run.marks, run.doubts,
        run.loading_frames, run.loading_left_out);
}

class Writer {
 public:
  template <typename... Parts>
  void operator()(Parts&... parts) {
    (put(parts), ...);
  }

  /// A part that a reader can pass over.
  void put_apart(ReadingInsight reading) {
    Writer part;
    part(reading);
    put(part.bytes_);
  }

  void put(Plain auto number) { bytes_.append(reinterpret_cast<const char*>(&number), sizeof number); }
  void put(Enum auto choice) { put(static_cast<std::uint8_t>(choice)); }
  void put(Nanoseconds length) { put(std::int64_t{length.count()}); }
  void put(Moment at) { put(at.time_since_epoch()); }
  void put(const std::string& text) {
    put(static_cast<std::uint32_t>(text.size()));
    bytes_ += text;
  }
  template <typename Part>
  void put(std::optional<Part>& part) {
    put(part.has_value());
    if (part) put(*part);
  }
  template <typename Part>
  void put(std::vector<Part>& parts) {
    put(static_cast<std::uint32_t>(parts.size()));
    for (Part& part : parts) put(part);
  }
  void put(std::array<double, 5>& numbers) {
    for (const double number : numbers) put(number);
  }
  template <typename Part>
  requires(!Plain<Part> && !Enum<Part> && !std::is_same_v<Part, std::string>) void put(Part& part) {
    fields(*this, part);
  }

  std::string take() { return std::move(bytes_); }

 private:
  std::string bytes_;
};

/// After an impossible value nothing more is read.
class Reader {
 public:
  explicit Reader(std::string_view bytes) : bytes_(bytes) {}

  template <typename... Parts>
  void operator()(Parts&... parts) {
    (get(parts), ...);
  }

  /// Whether all of it was read, and all of it can be.
  [[nodiscard]] bool is_done() const { return good_ && bytes_.empty(); }
  [[nodiscard]] bool is_good() const { return good_; }

  std::string_view get_text() {
    std::uint32_t size = 0;
    get(size);
    if (size > bytes_.size()) good_ = false;
    if (!good_) return {};
    const std::string_view text = bytes_.substr(0, size);
    bytes_.remove_prefix(size);
    return text;
  }

  template <Plain Number>
  void get(Number& number) {
    if (!good_ || bytes_.size() < sizeof number) {
      good_ = false;
      return;
    }
    std::memcpy(&number, bytes_.data(), sizeof number);
    bytes_.remove_prefix(sizeof number);
    if constexpr (std::is_floating_point_v<Number>) good_ = std::isfinite(number);
  }
  void get(bool& yes) {
    std::uint8_t byte = 0;
    get(byte);
    good_ = good_ && byte <= 1;
    yes = byte == 1;
  }
  template <Enum Choice>
  void get(Choice& choice) {
    std::uint8_t byte = 0;
    get(byte);
    good_ = good_ && byte <= last_of(Choice{});
    if (good_) choice = static_cast<Choice>(byte);
  }
  void get(Nanoseconds& length) {
    std::int64_t count = 0;
    get(count);
    length = Nanoseconds(count);
  }
  void get(Moment& at) {
    Nanoseconds since{};
    get(since);
    at = Moment{since};
  }
  void get(std::string& text) { text = get_text(); }
  template <typename Part>
  void get(std::optional<Part>& part) {
    bool there = false;
    get(there);
    if (there && good_) get(part.emplace());
  }
  template <typename Part>
  void get(std::vector<Part>& parts) {
    std::uint32_t count = 0;
    get(count);
    good_ = good_ && count <= bytes_.size();  // each takes a byte at least
    for (std::uint32_t i = 0; good_ && i < count; ++i) get(parts.emplace_back());
  }
  void get(std::array<double, 5>& numbers) {
    for (double& number : numbers) get(number);
  }
  void get(auto& part) { fields(*this, part); }

 private:
  std::string_view bytes_;
  bool good_ = true;
};

}  // namespace

std::string bytes_of(const RunInsight& insight) {
  Writer bytes;
  bytes.put(static_cast<std::uint32_t>(insight.readings.size()));
  for (const ReadingInsight& reading : insight.readings) bytes.put_apart(reading);
  RunInsight copy = insight;
  bytes(copy);
  return bytes.take();
}

std::optional<RunInsight> insight_from(std::string_view bytes,
                                       const std::optional<std::vector<std::string>>& readings) {
  Reader all(bytes);
  RunInsight insight;
  std::uint32_t count = 0;
  all(count);
  for (std::uint32_t i = 0; all.is_good() && i < count; ++i) {
    const std::string_view part = all.get_text();
    const std::string_view id = Reader(part).get_text();
    if (readings && std::find(readings->begin(), readings->end(), id) == readings->end()) continue;
    Reader reading(part);
    reading(insight.readings.emplace_back());
    if (!reading.is_done()) return std::nullopt;
  }
  all(insight);
  return all.is_done() ? std::optional(std::move(insight)) : std::nullopt;
}

}  // namespace idlemeter::insight
