#include "idlemeter/readings/readings_csv.hpp"

#include <optional>
#include <utility>
#include <variant>

#include "base/csv.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

void add_line(base::CsvWriter& csv, const Snapshot::Entry& entry, const Ranges& ranges, double time) {
  const ReadingInfo& info = *entry.info;
  const auto range = ranges.of(info.id);
  const auto* missing = std::get_if<Missing>(entry.value);
  const auto* text = std::get_if<std::string>(entry.value);
  csv.number(time, 3).text(info.id);
  text != nullptr ? csv.text(*text) : csv.number(number(*entry.value));
  csv.text(symbol(info.unit));
  csv.number(range ? std::optional(range->first) : std::nullopt);
  csv.number(range ? std::optional(range->second) : std::nullopt);
  csv.text(info.title).text(info.device).text(info.source);
  csv.text(missing == nullptr ? "" : missing->reason).text(info.alias);
  csv.end_line();
}

}  // namespace

std::string readings_csv_heading() { return "time_s,id,value,unit,least,most,title,device,source,missing,alias\n"; }

std::string readings_csv_lines(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges, double time) {
  std::string lines;
  base::CsvWriter csv(lines, "\n");
  for (const Snapshot::Entry& entry : entries) add_line(csv, entry, ranges, time);
  return lines;
}

}  // namespace idlemeter
