#include "idlemeter/runs/run_csv.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "base/csv.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {
namespace {

using namespace base;

/// The lines of one run, for a file with these columns.
class ReadingLines {
 public:
  ReadingLines(std::string& csv, std::int64_t run, const std::map<std::string, std::size_t>& places)
      : csv_(csv), run_(run), places_(places), line_(places.size()) {}

  /// A line for each sample, and for each text that came between two.
  void append(const Store& store) {
    find_columns(store);
    store.read_samples(run_, [&](const RunSamples& samples) {
      for (std::size_t i = 0; i < samples.at.size(); ++i) {
        while (!texts_.empty() && texts_.begin()->first < samples.at[i]) write(texts_.begin()->first);
        for (const auto& [column, place] : columns_) {
          const bool is_here = column < samples.columns.size() && std::isfinite(samples.columns[column][i]);
          if (is_here) fmt::format_to(std::back_inserter(line_[place]), "{}", samples.columns[column][i]);
        }
        write(samples.at[i]);
      }
    });
    while (!texts_.empty()) write(texts_.begin()->first);
  }

 private:
  void find_columns(const Store& store) {
    const std::vector<ReadingInfo> readings = store.readings(run_);
    for (std::size_t column = 0; column < readings.size(); ++column) {
      if (!readings[column].text) columns_.emplace_back(column, places_.at(readings[column].id));
    }
    for (const RunSeries& one : store.series(run_, &ReadingInfo::text)) {
      for (std::size_t i = 0; i < one.at.size(); ++i) {
        if (const auto* text = std::get_if<std::string>(&one.values[i]))
          texts_.emplace(one.at[i], std::pair(places_.at(one.info.id), csv_field(*text)));
      }
    }
  }

  void write(Moment at) {
    for (auto text = texts_.begin(); text != texts_.end() && text->first == at; text = texts_.erase(text))
      line_[text->second.first] = std::move(text->second.second);
    csv_.number(run_).seconds(at.time_since_epoch());
    for (const std::string& field : line_) csv_.raw(field);
    csv_.end_line();
    for (std::string& field : line_) field.clear();
  }

  CsvWriter csv_;
  std::int64_t run_;
  const std::map<std::string, std::size_t>& places_;
  std::vector<std::pair<std::size_t, std::size_t>> columns_;  // of the run's numbers, with those of the file
  std::multimap<Moment, std::pair<std::size_t, std::string>> texts_;
  std::vector<std::string> line_;
};

}  // namespace

std::string frames_csv(const Store& store, std::span<const std::int64_t> runs) {
  std::string csv;
  CsvWriter writer(csv);
  writer.raw("run").raw("presented (s)").raw("frame time (ms)").raw("GPU work (ms)").end_line();
  for (const std::int64_t id : runs) {
    (void)store.run(id);
    for (const FrameRecord& frame : store.frames(id)) {
      writer.number(id).seconds(frame.at.time_since_epoch()).milliseconds(frame.interval);
      frame.gpu_work != kUnknownTime ? writer.milliseconds(frame.gpu_work) : writer.empty();
      writer.end_line();
    }
  }
  return csv;
}

namespace {

std::string readings_heading(const std::vector<ReadingInfo>& columns) {
  std::string heading;
  CsvWriter writer(heading);
  writer.raw("run").raw("at (s)");
  for (const ReadingInfo& info : columns)
    writer.text(info.unit == Unit::none ? info.id : fmt::format("{} ({})", info.id, symbol(info.unit)));
  writer.end_line();
  return heading;
}

}  // namespace

std::string readings_csv(const Store& store, std::span<const std::int64_t> runs) {
  std::vector<ReadingInfo> columns;
  std::map<std::string, std::size_t> places;
  for (const std::int64_t id : runs) {
    (void)store.run(id);
    for (const ReadingInfo& info : store.readings(id)) {
      if (places.try_emplace(info.id, columns.size()).second) columns.push_back(info);
    }
  }
  std::string csv = readings_heading(columns);
  for (const std::int64_t id : runs) ReadingLines(csv, id, places).append(store);
  return csv;
}

}  // namespace idlemeter
