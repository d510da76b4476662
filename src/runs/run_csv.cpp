#include "idlemeter/runs/run_csv.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <map>
#include <string>
#include <vector>

#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {
namespace {

/// Nanoseconds with the point moved to the left: 16683400 by 6 digits is "16.683400". Exact, which a double isn't.
void append_moved(std::string& csv, Nanoseconds length, int digits) {
  std::int64_t unit = 1;
  for (int i = 0; i < digits; ++i) unit *= 10;
  const std::int64_t count = length.count();
  fmt::format_to(std::back_inserter(csv), "{}{}.{:0{}}", count < 0 ? "-" : "", std::abs(count / unit),
                 std::abs(count % unit), digits);
}

}  // namespace

std::string frames_csv(const Store& store, std::span<const std::int64_t> runs) {
  std::string csv = "run,presented (s),frame time (ms),GPU work (ms)\r\n";
  for (const std::int64_t id : runs) {
    (void)store.run(id);
    for (const FrameRecord& frame : store.frames(id)) {
      fmt::format_to(std::back_inserter(csv), "{},", id);
      append_moved(csv, frame.at.time_since_epoch(), 9);
      csv += ',';
      append_moved(csv, frame.interval, 6);
      csv += ',';
      if (frame.gpu_work != kUnknownTime) append_moved(csv, frame.gpu_work, 6);
      csv += "\r\n";
    }
  }
  return csv;
}

std::string readings_csv(const Store& store, std::span<const std::int64_t> runs) {
  std::vector<ReadingInfo> columns;
  std::map<std::string, std::size_t> places;
  std::map<std::int64_t, std::vector<RunSeries>> all;
  for (const std::int64_t id : runs) {
    (void)store.run(id);
    for (const RunSeries& one : all[id] = store.series(id)) {
      if (places.try_emplace(one.info.id, columns.size()).second) columns.push_back(one.info);
    }
  }
  std::string csv = "run,at (s)";
  for (const ReadingInfo& info : columns)
    csv += "," + csv_field(info.unit == Unit::none ? info.id : fmt::format("{} ({})", info.id, symbol(info.unit)));
  csv += "\r\n";
  for (const auto& [id, series] : all) {
    std::map<Moment, std::vector<std::string>> lines;
    for (const RunSeries& one : series) {
      for (std::size_t i = 0; i < one.at.size(); ++i) {
        auto& line = lines.try_emplace(one.at[i], columns.size()).first->second;
        const auto* text = std::get_if<std::string>(&one.values[i]);
        const auto value = number(one.values[i]);
        line[places.at(one.info.id)] = text != nullptr ? csv_field(*text) : value ? fmt::format("{}", *value) : "";
      }
    }
    for (const auto& [at, line] : lines) {
      fmt::format_to(std::back_inserter(csv), "{},", id);
      append_moved(csv, at.time_since_epoch(), 9);
      fmt::format_to(std::back_inserter(csv), ",{}\r\n", fmt::join(line, ","));
    }
  }
  return csv;
}

}  // namespace idlemeter
