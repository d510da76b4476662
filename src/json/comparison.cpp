#include "idlemeter/json/comparison.hpp"

#include "idlemeter/readings/units.hpp"
#include "json/json.hpp"

namespace idlemeter {

using namespace json;

std::string comparison_json(const Comparison& comparison) {
  Json json = {{"groups", comparison.names},
               {"base", comparison.names[comparison.base]},
               {"figures", Json::array()},
               {"doubts", Json::array()},
               {"other_differences", Json::array()}};
  for (const ComparedFigure& figure : comparison.figures) {
    Json one = {{"id", figure.info.id},
                {"title", figure.info.title},
                {"unit", symbol(figure.info.unit)},
                {"best", figure.best ? Json(comparison.names[*figure.best]) : Json()},
                {"worst", figure.worst ? Json(comparison.names[*figure.worst]) : Json()},
                {"groups", Json::array()}};
    for (std::size_t g = 0; g < figure.groups.size(); ++g) {
      const ComparedGroup& group = figure.groups[g];
      Json of_group = {{"group", comparison.names[g]}, {"runs", group.runs},
                       {"values", group.values},       {"odd_runs", group.odd},
                       {"mean", or_null(group.mean)},  {"spread", or_null(group.spread)}};
      of_group["interval"] = group.interval ? Json{group.interval->low, group.interval->high} : Json();
      if (const auto& d = group.difference) {
        of_group["difference"] = {{"value", d->value},
                                  {"is_share_of_base", d->scale == Scale::ratio},
                                  {"low", or_null(d->low)},
                                  {"high", or_null(d->high)},
                                  {"p_welch", or_null(d->p_welch)},
                                  {"p_permutation", or_null(d->p_permutation)},
                                  {"verdict", name_of(d->verdict)},
                                  {"runs_needed", or_null(d->runs_needed)}};
      }
      if (const auto& d = group.without_odd) {
        of_group["without_odd_runs"] = {{"value", d->value},
                                        {"low", or_null(d->low)},
                                        {"high", or_null(d->high)},
                                        {"verdict", name_of(d->verdict)}};
      }
      one["groups"].push_back(std::move(of_group));
    }
    json["figures"].push_back(std::move(one));
  }
  for (const GroupDoubt& one : comparison.doubts)
    json["doubts"].push_back({{"group", comparison.names[one.group]}, {"rule", one.rule}, {"runs", one.runs}});
  for (const OtherDifference& other : comparison.others)
    json["other_differences"].push_back({{"what", other.what}, {"values", other.values}});
  return text_of(json);
}

}  // namespace idlemeter
