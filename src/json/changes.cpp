#include "idlemeter/json/changes.hpp"

#include "idlemeter/readings/units.hpp"
#include "json/json.hpp"

namespace idlemeter {
namespace {

using namespace json;

Json to_json(const ReadingInfo& info) {
  return {{"id", info.id}, {"title", info.title}, {"device", info.device}, {"unit", symbol(info.unit)}};
}

Json to_json(const Changes& changes) {
  Json json = {{"changes", Json::array()}, {"oddities", Json::array()}};
  for (const ChangeEvent& event : changes.events) {
    Json one = {{"at_s", seconds_of(event.at)},
                {"readings", Json::array()},
                {"texts", Json::array()},
                {"as_before", Json::array()}};
    for (const ReadingChange& change : event.readings) {
      Json reading = to_json(change.info);
      reading.update({{"kind", name_of(change.kind)},
                      {"at_s", seconds_of(change.at)},
                      {"before", change.before},
                      {"after", change.after},
                      {"spreads", change.spreads},
                      {"of_range", change.of_range}});
      if (change.until > change.at) reading["until_s"] = seconds_of(change.until);
      one["readings"].push_back(std::move(reading));
    }
    for (const TextChange& change : event.texts)
      one["texts"].push_back({{"id", change.info.id},
                              {"at_s", seconds_of(change.at)},
                              {"before", change.before},
                              {"after", change.after}});
    for (const ReadingInfo& info : event.as_before) one["as_before"].push_back(info.id);
    json["changes"].push_back(std::move(one));
  }
  for (const OddStretch& odd : changes.oddities) {
    Json one = to_json(odd.info);
    one.update({{"kind", name_of(odd.kind)},
                {"at_s", seconds_of(odd.at)},
                {"length_s", in_seconds(odd.length)},
                {"value", odd.value},
                {"usual", odd.usual},
                {"spreads", odd.spreads}});
    json["oddities"].push_back(std::move(one));
  }
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
