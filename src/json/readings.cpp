#include "idlemeter/json/readings.hpp"

#include <variant>

#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "json/json.hpp"

namespace idlemeter {

json::Json json::to_json(const Snapshot::Entry& entry, const Ranges& ranges) {
  const ReadingInfo& info = *entry.info;
  Json one = {{"id", info.id},
              {"title", info.title},
              {"brief", info.brief},
              {"device", info.device},
              {"kind", name_of(info.kind)},
              {"unit", symbol(info.unit)},
              {"source", info.source},
              {"value", nullptr}};
  if (!info.alias.empty()) one["alias"] = info.alias;
  if (const auto* missing = std::get_if<Missing>(entry.value)) one["missing"] = missing->reason;
  if (const auto* text = std::get_if<std::string>(entry.value)) one["value"] = *text;
  if (const auto n = number(*entry.value)) one["value"] = *n;
  if (const auto range = ranges.of(info.id)) {
    one["least"] = range->first;
    one["most"] = range->second;
  }
  return one;
}

namespace {

using namespace json;

Json list_of(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges) {
  Json list = Json::array();
  for (const auto& entry : entries) list.push_back(json::to_json(entry, ranges));
  return list;
}

}  // namespace

std::string readings_json(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges) {
  return text_of(list_of(entries, ranges), 2);
}

std::string timed_readings_json(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges, double seconds) {
  return text_of({{"time_s", seconds}, {"readings", list_of(entries, ranges)}}, -1);
}

}  // namespace idlemeter
