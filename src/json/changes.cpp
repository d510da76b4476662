#include "idlemeter/json/changes.hpp"

#include "idlemeter/readings/units.hpp"
#include "json/json.hpp"

namespace idlemeter {
namespace {

using namespace json;

Json to_json(const ReadingInfo& info) {
  return {{"id", info.id}, {"title", info.title}, {"device", info.device}, {"unit", symbol(info.unit)}};
}

Json to_json(const ReadingChange& change) {
  Json json = to_json(change.info);
  json.update({{"kind", name_of(change.kind)},
               {"at_s", seconds_of(change.at)},
               {"before", change.before},
               {"after", change.after},
               {"spreads", change.spreads},
               {"of_range", change.of_range}});
  if (change.until > change.at) json["until_s"] = seconds_of(change.until);
  return json;
}

Json to_json(const ChangeEvent& event) {
  Json json = {{"at_s", seconds_of(event.at)},
               {"readings", Json::array()},
               {"texts", Json::array()},
               {"as_before", Json::array()}};
  for (const ReadingChange& change : event.readings) json["readings"].push_back(to_json(change));
  for (const TextChange& change : event.texts)
    json["texts"].push_back(
        {{"id", change.info.id}, {"at_s", seconds_of(change.at)}, {"before", change.before}, {"after", change.after}});
  for (const ReadingInfo& info : event.as_before) json["as_before"].push_back(info.id);
  return json;
}

Json to_json(const OddStretch& odd) {
  Json json = to_json(odd.info);
  json.update({{"kind", name_of(odd.kind)},
               {"at_s", seconds_of(odd.at)},
               {"length_s", in_seconds(odd.length)},
               {"value", odd.value},
               {"usual", odd.usual},
               {"spreads", odd.spreads}});
  return json;
}

Json to_json(const Changes& changes) {
  Json json = {{"changes", Json::array()}, {"oddities", Json::array()}};
  for (const ChangeEvent& event : changes.events) json["changes"].push_back(to_json(event));
  for (const OddStretch& odd : changes.oddities) json["oddities"].push_back(to_json(odd));
  return json;
}

}  // namespace

std::string changes_json(const Changes& changes, const std::vector<RunMeanwhile>& meanwhile) {
  Json json = to_json(changes);
  for (const RunMeanwhile& run : meanwhile)
    json["meanwhile"].push_back(
        {{"run", run.id}, {"game", run.game}, {"from_s", in_seconds(run.begin)}, {"to_s", in_seconds(run.end)}});
  return text_of(json);
}

}  // namespace idlemeter
