#include "idlemeter/json/runs.hpp"

#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/units.hpp"
#include "json/json.hpp"

namespace idlemeter {
namespace {

using namespace json;

Json to_json(const RunInfo& run) {
  return {{"run", run.id},
          {"game", run.details.game},
          {"started", run.started},
          {"finished", run.finished},
          {"ended", run.end ? Json(name_of(*run.end)) : Json()},
          {"lost_frames", run.lost},
          {"frames", run.frames},
          {"length_s", in_seconds(run.length)},
          {"note", run.details.note},
          {"tags", run.details.tags},
          {"settings", run.details.settings},
          {"facts", facts_to_share(run.details.facts)},
          {"problem", run.problem}};
}

Json to_json(const Summary& s) {
  const auto milliseconds = [](const auto& time) { return time ? Json(in_milliseconds(*time)) : Json(); };
  Json statistics = {{"left_out_intervals", s.left_out},
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
  return statistics;
}

Json to_json(const Hitch& hitch) {
  return {{"begin_s", seconds_of(hitch.begin)},
          {"length_ms", in_milliseconds(hitch.length)},
          {"frames", hitch.stutters},
          {"worst_ms", in_milliseconds(hitch.worst)},
          {"lost_ms", in_milliseconds(hitch.lost)}};
}

Json to_json(const std::vector<Doubt>& doubts) {
  Json json = Json::array();
  for (const Doubt& doubt : doubts) json.push_back({{"rule", name_of(doubt.rule)}, {"text", doubt.text}});
  return json;
}

Json to_json(const Stutters& stutters, Nanoseconds all) {
  Json json = {{"time_s", in_seconds(stutters.time)},
               {"lost_s", in_seconds(stutters.lost)},
               {"share", stutters.share},
               {"lost_share", all > Nanoseconds{} ? in_seconds(stutters.lost) / in_seconds(all) : 0.0},
               {"frames", Json::array()},
               {"hitches", Json::array()}};
  for (const Stutter& one : stutters.frames)
    json["frames"].push_back(
        {{"at_s", seconds_of(one.at)}, {"ms", in_milliseconds(one.length)}, {"lost_ms", in_milliseconds(one.lost)}});
  for (const Hitch& one : stutters.hitches) json["hitches"].push_back(to_json(one));
  return json;
}

Json to_json(const RunInsight& run, const Limits& limits) {
  Json json = {{"evidence", run.limits_by_gpu_times ? "GPU times" : "GPU load"},
               {"shares", Json::object()},
               {"seconds", Json::array()}};
  for (const Limit limit : kLimits) json["shares"][std::string(name_of(limit))] = limits.share(limit);
  for (const LimitedSecond& one : limits.seconds) {
    json["seconds"].push_back(
        {{"begin_s", seconds_of(one.begin)}, {"by", name_of(one.by)}, {"gpu_share", or_null(one.gpu_share)}});
  }
  return json;
}

Json to_json(const ReadingInsight& one) {
  return {{"id", one.info.id},
          {"title", one.info.title},
          {"device", one.info.device},
          {"unit", symbol(one.info.unit)},
          {"mean", one.all.mean},
          {"least", one.all.least},
          {"most", one.all.most},
          {"samples", one.all.samples},
          {"first_mean", or_null(one.first)},
          {"last_mean", or_null(one.last)},
          {"share_over_limit", or_null(one.over)}};
}

Json to_json(const HitchInsight& one) {
  Json json = {{"begin_s", seconds_of(one.hitch.begin)}, {"unusual", Json::array()}};
  for (const Oddity& oddity : one.oddities) {
    json["unusual"].push_back({{"id", oddity.info.id},
                               {"value", oddity.value},
                               {"usual", oddity.usual},
                               {"unit", symbol(oddity.info.unit)},
                               {"spreads", oddity.spreads}});
  }
  return json;
}

Json to_json(const SureFigure& one) {
  Json json = {{"figure", "average"}};
  if (one.figure.kind == Figure::Kind::percentile) json = {{"figure", "percentile"}, {"q", one.figure.q}};
  if (one.figure.kind == Figure::Kind::low)
    json = {{"figure", "low"}, {"share", to_string(one.figure.share)}, {"definition", name_of(one.figure.definition)}};
  if (one.result.interval) {
    json["ms"] = {one.result.interval->low / 1e6, one.result.interval->high / 1e6};
  } else {
    json["none_because"] = one.result.reason;
  }
  return json;
}

Json to_json(const RunInsight& run, const std::vector<SureFigure>& intervals) {
  Json json = to_json(run.info);
  json["statistics"] = to_json(run.summary);
  json["statistics"]["longest_at_s"] = seconds_of(run.longest_at);
  json["loading_frames"] = run.loading_frames;
  json["loading_left_out"] = run.loading_left_out;
  json["stutters"] = to_json(run.stutters, run.summary.time);
  json["limits"] = to_json(run, run.limits);
  json["edge_s"] = in_seconds(run.edge);
  json["frames_per_joule"] = {{"graphics", or_null(run.frames_per_joule_graphics)},
                              {"processor", or_null(run.frames_per_joule_processor)},
                              {"both", or_null(run.frames_per_joule_both)}};
  for (const char* list : {"marks", "worst_hitches", "readings", "intervals_95"}) json[list] = Json::array();
  json["doubts"] = to_json(run.doubts);
  for (const RunMark& mark : run.marks) json["marks"].push_back({{"at_s", seconds_of(mark.at)}, {"about", mark.about}});
  for (const HitchInsight& one : run.hitches) json["worst_hitches"].push_back(to_json(one));
  for (const ReadingInsight& one : run.readings) json["readings"].push_back(to_json(one));
  for (const SureFigure& one : intervals) json["intervals_95"].push_back(to_json(one));
  return json;
}

}  // namespace

std::string runs_json(const std::vector<RunInfo>& runs) {
  Json all = Json::array();
  for (const RunInfo& run : runs) all.push_back(to_json(run));
  return text_of(all);
}

std::string figures_json(const std::vector<RunInsight>& runs, const FigureSet& set) {
  Json all = Json::array();
  for (const RunInsight& run : runs) {
    Json one = to_json(run.info);
    one["figures"] = Json::array();
    for (const RunFigure& figure : set.of(run)) {
      one["figures"].push_back({{"id", figure.info.id},
                                {"title", figure.info.title},
                                {"unit", symbol(figure.info.unit)},
                                {"value", or_null(figure.value)},
                                {"of_too_few_frames", figure.is_uncertain}});
    }
    one["doubts"] = to_json(run.doubts);
    all.push_back(std::move(one));
  }
  return text_of(all);
}

std::string insight_json(const std::vector<RunInsight>& runs, const std::vector<std::vector<SureFigure>>& intervals) {
  Json all = Json::array();
  for (std::size_t i = 0; i < runs.size(); ++i) all.push_back(to_json(runs[i], intervals[i]));
  return text_of(runs.size() == 1 ? all.front() : all);
}

}  // namespace idlemeter
