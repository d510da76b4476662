#include "json.hpp"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run.hpp"
#include "output.hpp"

namespace idlemeter::cli {
namespace {

using Json = nlohmann::ordered_json;

std::string text_of(const Json& json, int indent) {
  return json_text(json.dump(indent, ' ', false, Json::error_handler_t::replace));
}

Json to_json(const Snapshot::Entry& entry, const Ranges& ranges) {
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

Json to_json(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges) {
  Json list = Json::array();
  for (const auto& entry : entries) list.push_back(to_json(entry, ranges));
  return list;
}

Json to_json(const RunInfo& run) {
  return {{"run", run.id},
          {"game", run.details.game},
          {"started", run.started},
          {"finished", run.finished},
          {"frames", run.frames},
          {"length_s", in_seconds(run.length)},
          {"note", run.details.note},
          {"tags", run.details.tags},
          {"settings", run.details.settings},
          {"facts", run.details.facts},
          {"problem", run.problem}};
}

Json to_json(const RunFigures& run) {
  Json json = to_json(run.info);
  const Summary& s = run.summary;
  const auto or_null = [](const auto& figure, double scale) { return figure ? Json(*figure * scale) : Json(); };
  const auto milliseconds = [](const auto& time) { return time ? Json(in_milliseconds(*time)) : Json(); };
  Json& statistics = json["statistics"];
  statistics = {{"left_out_intervals", s.left_out},
                {"average_fps", or_null(s.average_rate, 1)},
                {"median_ms", or_null(s.median, 1e-6)},
                {"shortest_ms", milliseconds(s.shortest)},
                {"longest_ms", milliseconds(s.longest)},
                {"pacing_ms", or_null(s.pacing, 1e-6)},
                {"lows", Json::array()},
                {"percentiles", Json::array()},
                {"remarks", s.remarks()}};
  for (const Low& low : s.lows) {
    statistics["lows"].push_back({{"share", to_string(low.share)},
                                  {"definition", name_of(low.definition)},
                                  {"fps", low.rate},
                                  {"ms", low.frame_time / 1e6},
                                  {"enough_frames", low.enough_frames}});
  }
  for (const Percentile& p : s.percentiles)
    statistics["percentiles"].push_back({{"q", p.q}, {"ms", p.frame_time / 1e6}});
  json["readings"] = Json::array();
  for (const auto& [info, series] : run.readings) {
    json["readings"].push_back({{"id", info.id},
                                {"title", info.title},
                                {"device", info.device},
                                {"unit", symbol(info.unit)},
                                {"mean", series.mean},
                                {"least", series.least},
                                {"most", series.most},
                                {"samples", series.samples}});
  }
  return json;
}

}  // namespace

std::string readings_json(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges) {
  return text_of(to_json(entries, ranges), 2);
}

std::string timed_readings_json(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges, double seconds) {
  return text_of({{"time_s", seconds}, {"readings", to_json(entries, ranges)}}, -1);
}

std::string runs_json(const std::vector<RunInfo>& runs) {
  Json all = Json::array();
  for (const RunInfo& run : runs) all.push_back(to_json(run));
  return text_of(all, 2);
}

std::string figures_json(const std::vector<RunFigures>& runs) {
  Json all = Json::array();
  for (const RunFigures& run : runs) all.push_back(to_json(run));
  return text_of(runs.size() == 1 ? all.front() : all, 2);
}

}  // namespace idlemeter::cli
