#include "idlemeter/runs/run_csv.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <string>
#include <utility>
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

/// A line for each sample, and for each text that came between two.
void append_readings(std::string& csv, const Store& store, std::int64_t run,
                     const std::map<std::string, std::size_t>& places) {
  const std::vector<ReadingInfo> readings = store.readings(run);
  std::vector<std::pair<std::size_t, std::size_t>> columns;  // of the run's numbers, with those of the file
  for (std::size_t column = 0; column < readings.size(); ++column) {
    if (!readings[column].text) columns.emplace_back(column, places.at(readings[column].id));
  }
  std::multimap<Moment, std::pair<std::size_t, std::string>> texts;
  for (const RunSeries& one : store.series(run, &ReadingInfo::text)) {
    for (std::size_t i = 0; i < one.at.size(); ++i) {
      if (const auto* text = std::get_if<std::string>(&one.values[i]))
        texts.emplace(one.at[i], std::pair(places.at(one.info.id), csv_field(*text)));
    }
  }
  std::vector<std::string> line(places.size());
  const auto write = [&](Moment at) {
    for (auto text = texts.begin(); text != texts.end() && text->first == at; text = texts.erase(text))
      line[text->second.first] = std::move(text->second.second);
    fmt::format_to(std::back_inserter(csv), "{},", run);
    append_moved(csv, at.time_since_epoch(), 9);
    fmt::format_to(std::back_inserter(csv), ",{}\r\n", fmt::join(line, ","));
    for (std::string& field : line) field.clear();
  };
  store.read_samples(run, [&](const RunSamples& samples) {
    for (std::size_t i = 0; i < samples.at.size(); ++i) {
      while (!texts.empty() && texts.begin()->first < samples.at[i]) write(texts.begin()->first);
      for (const auto& [column, place] : columns) {
        const bool is_here = column < samples.columns.size() && std::isfinite(samples.columns[column][i]);
        if (is_here) fmt::format_to(std::back_inserter(line[place]), "{}", samples.columns[column][i]);
      }
      write(samples.at[i]);
    }
  });
  while (!texts.empty()) write(texts.begin()->first);
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
  for (const std::int64_t id : runs) {
    (void)store.run(id);
    for (const ReadingInfo& info : store.readings(id)) {
      if (places.try_emplace(info.id, columns.size()).second) columns.push_back(info);
    }
  }
  std::string csv = "run,at (s)";
  for (const ReadingInfo& info : columns)
    csv += "," + csv_field(info.unit == Unit::none ? info.id : fmt::format("{} ({})", info.id, symbol(info.unit)));
  csv += "\r\n";
  for (const std::int64_t id : runs) append_readings(csv, store, id, places);
  return csv;
}

}  // namespace idlemeter
