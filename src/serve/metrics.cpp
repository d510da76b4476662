#include "idlemeter/serve/metrics.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>
#include <vector>

#include "idlemeter/base/text.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

constexpr std::size_t kMostGames = 32, kMostReadings = 2'000, kMostLabel = 200;

/// A base unit's name in metrics, and what stands for it here.
struct BaseUnit {
  Unit unit;
  const char* name;
};
constexpr BaseUnit kBaseUnits[] = {{Unit::celsius, "celsius"},
                                   {Unit::hertz, "hertz"},
                                   {Unit::byte, "bytes"},
                                   {Unit::byte_per_second, "bytes_per_second"},
                                   {Unit::watt, "watts"},
                                   {Unit::volt, "volts"},
                                   {Unit::ampere, "amperes"},
                                   {Unit::joule, "joules"},
                                   {Unit::second, "seconds"},
                                   {Unit::rpm, "rpm"},
                                   {Unit::litre_per_hour, "litres_per_hour"},
                                   {Unit::frames_per_second, "frames_per_second"},
                                   {Unit::frames_per_joule, "frames_per_joule"}};

/// Letters, digits and underscores; what is no letter at its end is dropped: core3 -> core.
std::string word_in(std::string_view part) {
  std::string word;
  for (const char c : lower_case(std::string(part))) word += (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') ? c : '_';
  while (!word.empty() && (word.back() < 'a' || word.back() > 'z')) word.pop_back();
  if (word == "temp") return "temperature";
  return word;
}

std::vector<std::string> words_of(std::string_view id) {
  id = id.substr(0, id.find('@'));
  std::vector<std::string> words;
  while (!id.empty()) {
    const std::size_t point = id.find('.');
    if (std::string word = word_in(id.substr(0, point)); !word.empty()) words.push_back(std::move(word));
    id = point == std::string_view::npos ? "" : id.substr(point + 1);
  }
  return words;
}

/// The middle of an id names a device there, not what is measured.
bool names_devices(DeviceKind kind) {
  return kind == DeviceKind::disk || kind == DeviceKind::network || kind == DeviceKind::board;
}

bool is_reserved(std::string_view name) {
  constexpr std::string_view kReserved[] = {"_total", "_count", "_sum", "_bucket", "_info", "_created"};
  return std::any_of(std::begin(kReserved), std::end(kReserved),
                     [&](std::string_view end) { return name.ends_with(end); });
}

/// As in both formats, in which a backslash and a quote are escaped. No more than some characters.
std::string in_quotes(std::string_view text) {
  std::string escaped = "\"";
  for (const char c : cut_to(printable(std::string(text)), kMostLabel)) {
    if (c == '"' || c == '\\') escaped += '\\';
    escaped += c;
  }
  return escaped + '"';
}

/// Metrics of one name, which have to stand together.
struct Family {
  std::string type, unit, help;
  std::string samples;
};

class Families {
 public:
  explicit Families(MetricsFormat format) : open_(format == MetricsFormat::open_metrics) {}

  Family& family(const std::string& name, const char* type, const std::string& unit, const std::string& help) {
    Family& one = all_[name];
    if (one.type.empty()) one = {type, unit, help, {}};
    return one;
  }

  [[nodiscard]] std::string text() const {
    std::string text;
    for (const auto& [name, one] : all_) {
      const bool is_info = one.type == "info";
      // OpenMetrics names an info without its suffix; the older format knows none.
      const std::string shown = is_info && !open_ ? name + "_info" : name;
      text +=
          fmt::format("# HELP {} {}\n# TYPE {} {}\n", shown, one.help, shown, is_info && !open_ ? "gauge" : one.type);
      if (open_ && !one.unit.empty()) text += fmt::format("# UNIT {} {}\n", shown, one.unit);
      text += one.samples;
    }
    return open_ ? text + "# EOF\n" : text;
  }

 private:
  bool open_;
  std::map<std::string, Family> all_;
};

void add_histogram(const std::string& game, const FrameHistogram& frames, Family& to) {
  constexpr const char* kName = "idlemeter_frame_time_seconds";
  const std::string label = in_quotes(game);
  std::uint64_t below = 0;
  for (std::size_t i = 0; i + 1 < FrameHistogram::kBuckets; ++i) {
    below += frames.counts()[i];
    to.samples += fmt::format("{}_bucket{{game={},le=\"{}\"}} {}\n", kName, label,
                              in_seconds(FrameHistogram::bounds()[i]), below);
  }
  to.samples +=
      fmt::format("{0}_bucket{{game={1},le=\"+Inf\"}} {2}\n{0}_count{{game={1}}} {2}\n{0}_sum{{game={1}}} {3}\n", kName,
                  label, frames.count(), in_seconds(frames.sum()));
}

/// Names of what the machine is made of.
void add_machine(const Snapshot& values, Families& to) {
  constexpr std::pair<const char*, const char*> kNames[] = {{"processor", "cpu.name"},
                                                            {"graphics", "gpu.name"},
                                                            {"driver", "gpu.driver"},
                                                            {"memory", "ram.name"},
                                                            {"kernel", "system.kernel"}};
  std::string labels;
  for (const auto& [label, id] : kNames) {
    const Snapshot::Entry entry = values.find(id);
    const auto* text = entry.value == nullptr ? nullptr : std::get_if<std::string>(entry.value);
    labels += fmt::format("{}{}={}", labels.empty() ? "" : ",", label, in_quotes(text == nullptr ? "" : *text));
  }
  to.family("idlemeter_machine", "info", "", "what this machine is made of").samples =
      fmt::format("idlemeter_machine_info{{{}}} 1\n", labels);
}

/// "graphics hotspot temperature, in celsius"
std::string help_for(const MetricName& metric) {
  std::string words = metric.name.substr(std::string_view("idlemeter_").size());
  if (!metric.unit.empty() && words.ends_with("_" + metric.unit)) words.resize(words.size() - metric.unit.size() - 1);
  std::replace(words.begin(), words.end(), '_', ' ');
  if (metric.unit == "ratio") return words + ", from 0 to 1";
  std::string unit = metric.unit;
  std::replace(unit.begin(), unit.end(), '_', ' ');
  return unit.empty() ? words : words + ", in " + unit;
}

}  // namespace

void GameFrames::take(const std::string& from, const std::string& game, const FrameHistogram& now) {
  const std::string name = all_.contains(game) || all_.size() < kMostGames ? game : "other";
  FrameHistogram& last = last_[from];
  all_[name].add(now.since(last));
  last = now;
}

void GameFrames::keep_only(const std::set<std::string>& running) {
  std::erase_if(last_, [&](const auto& one) { return !running.contains(one.first); });
}

std::string_view content_type(MetricsFormat format) {
  return format == MetricsFormat::open_metrics ? "application/openmetrics-text; version=1.0.0; charset=utf-8"
                                               : "text/plain; version=0.0.4; charset=utf-8";
}

namespace {

/// In the standard's base units: ratios for percents, seconds, bytes.
void set_unit(MetricName& metric, Unit unit) {
  if (unit == Unit::percent) {
    metric.unit = "ratio";
    metric.factor = 0.01;
  } else if (unit == Unit::transfers_per_second) {
    metric.unit = "transfers_per_second";
    metric.factor = 1e6;
  }
  for (const BaseUnit& base : kBaseUnits) {
    const auto zero = convert(0, unit, base.unit), one = convert(1, unit, base.unit);
    if (!zero || !one || !metric.unit.empty()) continue;
    metric.unit = base.name;
    metric.offset = *zero;
    metric.factor = *one - *zero;
  }
}

}  // namespace

MetricName metric_name(const ReadingInfo& info) {
  MetricName metric{.name = "idlemeter_" + std::string(name_of(info.kind))};
  std::vector<std::string> words = words_of(info.id);
  constexpr std::string_view kOfTheKind[] = {"cpu",  "gpu", "ram",  "disk",  "net",   "battery",
                                             "game", "own", "feed", "frame", "system"};
  if (names_devices(info.kind) && words.size() > 1) words = {words.back()};
  if (words.size() > 1 &&
      std::find(std::begin(kOfTheKind), std::end(kOfTheKind), words.front()) != std::end(kOfTheKind))
    words.erase(words.begin());
  for (const std::string& word : words) metric.name += "_" + word;
  set_unit(metric, info.unit);
  if (!metric.unit.empty() && !metric.name.ends_with("_" + metric.unit)) metric.name += "_" + metric.unit;
  if (is_reserved(metric.name)) metric.name += "_value";
  return metric;
}

namespace {

std::string labels_of(const ReadingInfo& info) {
  return fmt::format("{{reading={},device={}}}", in_quotes(info.id), in_quotes(info.device));
}

void add_throttle(Families& all, const ReadingInfo& info, const std::string& reason) {
  all.family("idlemeter_throttled", "gauge", "",
             "whether a clock is lower than it could be, for heat, power or another reason")
      .samples += fmt::format("idlemeter_throttled{} {}\n", labels_of(info), reason == "none" ? 0 : 1);
}

void add_reading(Families& all, const ReadingInfo& info, double value) {
  const MetricName metric = metric_name(info);
  all.family(metric.name, "gauge", metric.unit, help_for(metric)).samples +=
      fmt::format("{}{} {}\n", metric.name, labels_of(info), value * metric.factor + metric.offset);
}

}  // namespace

std::string metrics_text(const Snapshot& values, const GameFrames& games, MetricsFormat format) {
  Families all(format);
  std::size_t shown = 0, left_out = 0;
  for (const auto& [info, value, provisional] : values.entries()) {
    if (info->kind == DeviceKind::frames || info->id.starts_with("clock.")) continue;
    const auto* text = std::get_if<std::string>(value);
    const bool throttles = info->id.ends_with(".throttle");
    const auto measured = number(*value);
    if (!measured && !(throttles && text != nullptr)) continue;
    if (++shown > kMostReadings) {
      ++left_out;
      continue;
    }
    if (throttles && text != nullptr) {
      add_throttle(all, *info, *text);
    } else {
      add_reading(all, *info, *measured);
    }
  }
  if (left_out > 0)
    all.family("idlemeter_readings_left_out", "gauge", "", "readings beyond the most that are served").samples =
        fmt::format("idlemeter_readings_left_out {}\n", left_out);
  for (const auto& [game, frames] : games.all())
    add_histogram(
        game, frames,
        all.family("idlemeter_frame_time_seconds", "histogram", "seconds", "time from one frame to the next"));
  add_machine(values, all);
  return all.text();
}

}  // namespace idlemeter
