// Runs written as a run file.
#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>

#include "idlemeter/base/file.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "runs/files/run_file_tree.hpp"

namespace idlemeter {
namespace {

using OrderedJson = nlohmann::ordered_json;

constexpr std::string_view kBegin = "{\"format\":\"idle-meter-runs\",";

std::int64_t ns(Moment at) { return at.time_since_epoch().count(); }

/// As text at once: a JSON value would take sixteen bytes for each number.
std::string frames_of(const std::vector<FrameRecord>& frames) {
  const auto numbers = [&](const char* name, auto number) {
    std::string text = fmt::format("\"{}\":[", name);
    for (const FrameRecord& frame : frames) {
      number(text, frame);
      text += ',';
    }
    if (!frames.empty()) text.pop_back();
    return text + "]";
  };
  const auto put = [](std::string& text, std::int64_t number) {
    fmt::format_to(std::back_inserter(text), "{}", number);
  };
  std::string json =
      "{" + numbers("presented_ns", [&](std::string& text, const FrameRecord& f) { put(text, ns(f.at)); }) + "," +
      numbers("frame_time_ns", [&](std::string& text, const FrameRecord& f) { put(text, f.interval.count()); });
  const bool any_work = std::any_of(frames.begin(), frames.end(),
                                    [](const FrameRecord& frame) { return frame.gpu_work != kUnknownTime; });
  if (any_work)
    json += "," + numbers("gpu_work_ns", [&](std::string& text, const FrameRecord& f) {
              if (f.gpu_work == kUnknownTime) {
                text += "null";
              } else {
                put(text, f.gpu_work.count());
              }
            });
  return json + "}";
}

OrderedJson value_json(const Value& value) {
  if (const auto* text = std::get_if<std::string>(&value)) return *text;
  const auto amount = number(value);
  return amount ? OrderedJson(*amount) : OrderedJson();
}

OrderedJson reading_of(const RunSeries& series, const std::vector<Moment>& moments) {
  const ReadingInfo& info = series.info;
  OrderedJson json = {{"id", info.id},         {"title", info.title},        {"brief", info.brief},
                      {"device", info.device}, {"kind", name_of(info.kind)}, {"unit", symbol(info.unit)},
                      {"digits", info.digits}, {"text", info.text},          {"source", info.source},
                      {"alias", info.alias}};
  OrderedJson values = OrderedJson::array();
  for (std::size_t m = 0, i = 0; m < moments.size(); ++m) {
    const bool is_here = i < series.at.size() && series.at[i] == moments[m];
    const Value* const value = is_here ? &series.values[i++] : nullptr;
    values.push_back(value == nullptr ? OrderedJson() : value_json(*value));
  }
  json["values"] = std::move(values);
  return json;
}

OrderedJson readings_of(const std::vector<RunSeries>& all) {
  std::set<Moment> moments;
  for (const RunSeries& one : all) moments.insert(one.at.begin(), one.at.end());
  const std::vector<Moment> at(moments.begin(), moments.end());
  OrderedJson json = {{"at_ns", OrderedJson::array()}, {"of", OrderedJson::array()}};
  for (const Moment moment : at) json["at_ns"].push_back(ns(moment));
  for (const RunSeries& one : all) json["of"].push_back(reading_of(one, at));
  return json;
}

}  // namespace

std::string run_file(const Store& store, std::span<const std::int64_t> runs, ShareOptions share) {
  std::string text = fmt::format("{}\"version\":{},\"runs\":[", kBegin, runs::kFileVersion);
  for (const std::int64_t id : runs) {
    const RunInfo info = store.run(id);
    const OrderedJson json = {{"uuid", info.uuid},
                              {"game", info.details.game},
                              {"started", info.started},
                              {"finished", info.finished},
                              {"ended", info.end ? OrderedJson(name_of(*info.end)) : OrderedJson()},
                              {"lost_frames", info.lost},
                              {"note", info.details.note},
                              {"tags", info.details.tags},
                              {"settings", info.details.settings},
                              {"facts", facts_to_share(info.details.facts, share.arguments)}};
    text += text.back() == '[' ? "\n" : ",\n";
    const auto written = [](const OrderedJson& part) {
      return escaped_json(part.dump(-1, ' ', false, OrderedJson::error_handler_t::replace));
    };
    text += written(json);
    text.pop_back();
    text +=
        ",\"frames\":" + frames_of(store.frames(id)) + ",\"readings\":" + written(readings_of(store.series(id))) + "}";
  }
  return text + "\n]}\n";
}

bool is_run_file(std::string_view bytes) { return begins_run_file(bytes); }

}  // namespace idlemeter
