#include "idlemeter/json/comparison.hpp"

#include "idlemeter/readings/units.hpp"
#include "json/json.hpp"

namespace idlemeter {

using namespace json;

namespace {

Json to_json(const Difference& difference) {
  return {{"value", difference.value},
          {"is_share_of_base", difference.scale == Scale::ratio},
          {"low", or_null(difference.low)},
          {"high", or_null(difference.high)},
          {"p_welch", or_null(difference.p_welch)},
          {"p_permutation", or_null(difference.p_permutation)},
          {"verdict", name_of(difference.verdict)},
          {"runs_needed", or_null(difference.runs_needed)}};
}

Json to_json(const ComparedGroup& group, const std::string& name) {
  Json json = {{"group", name},         {"runs", group.runs},          {"values", group.values},
               {"odd_runs", group.odd}, {"mean", or_null(group.mean)}, {"spread", or_null(group.spread)}};
  json["interval"] = group.interval ? Json{group.interval->low, group.interval->high} : Json();
  if (group.difference) json["difference"] = to_json(*group.difference);
  if (const auto& d = group.without_odd) {
    json["without_odd_runs"] = {
        {"value", d->value}, {"low", or_null(d->low)}, {"high", or_null(d->high)}, {"verdict", name_of(d->verdict)}};
  }
  return json;
}

Json to_json(const ComparedFigure& figure, const std::vector<std::string>& names) {
  Json json = {{"id", figure.info.id},
               {"title", figure.info.title},
               {"unit", symbol(figure.info.unit)},
               {"best", figure.best ? Json(names[*figure.best]) : Json()},
               {"worst", figure.worst ? Json(names[*figure.worst]) : Json()},
               {"groups", Json::array()}};
  for (std::size_t g = 0; g < figure.groups.size(); ++g) json["groups"].push_back(to_json(figure.groups[g], names[g]));
  return json;
}

}  // namespace

std::string comparison_json(const Comparison& comparison) {
  Json json = {{"groups", comparison.names},
               {"base", comparison.names[comparison.base]},
               {"figures", Json::array()},
               {"doubts", Json::array()},
               {"other_differences", Json::array()}};
  for (const ComparedFigure& figure : comparison.figures) json["figures"].push_back(to_json(figure, comparison.names));
  for (const GroupDoubt& one : comparison.doubts)
    json["doubts"].push_back({{"group", comparison.names[one.group]}, {"rule", name_of(one.rule)}, {"runs", one.runs}});
  for (const OtherDifference& other : comparison.others)
    json["other_differences"].push_back({{"what", other.what}, {"values", other.values}});
  return text_of(json);
}

}  // namespace idlemeter
