#include "idlemeter/runs/run_file.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <regex>
#include <set>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "runs/scratch_store.hpp"
#include "runs/store_state.hpp"

namespace idlemeter {
namespace {

using namespace runs;
using Json = nlohmann::ordered_json;

constexpr std::string_view kBegin = "{\"format\":\"idle-meter-runs\",";
constexpr int kVersion = 1;

std::int64_t ns(Moment at) { return at.time_since_epoch().count(); }

Json frames_of(const std::vector<FrameRecord>& frames) {
  Json presented = Json::array(), times = Json::array(), work = Json::array();
  bool any_work = false;
  for (const FrameRecord& frame : frames) {
    const bool known = frame.gpu_work != kUnknownTime;
    any_work = any_work || known;
    presented.push_back(ns(frame.at));
    times.push_back(frame.interval.count());
    work.push_back(known ? Json(frame.gpu_work.count()) : Json());
  }
  Json json = {{"presented_ns", std::move(presented)}, {"frame_time_ns", std::move(times)}};
  if (any_work) json["gpu_work_ns"] = std::move(work);
  return json;
}

Json reading_of(const RunSeries& series, const std::vector<Moment>& moments) {
  const ReadingInfo& info = series.info;
  Json json = {{"id", info.id},         {"title", info.title},        {"brief", info.brief},
               {"device", info.device}, {"kind", name_of(info.kind)}, {"unit", symbol(info.unit)},
               {"digits", info.digits}, {"text", info.text},          {"source", info.source},
               {"alias", info.alias}};
  Json values = Json::array();
  for (std::size_t m = 0, i = 0; m < moments.size(); ++m) {
    const bool is_here = i < series.at.size() && series.at[i] == moments[m];
    const Value* const value = is_here ? &series.values[i++] : nullptr;
    Json one;
    if (value != nullptr) {
      if (const auto* text = std::get_if<std::string>(value)) one = *text;
      if (const auto n = number(*value)) one = *n;
    }
    values.push_back(std::move(one));
  }
  json["values"] = std::move(values);
  return json;
}

Json readings_of(const std::vector<RunSeries>& all) {
  std::set<Moment> moments;
  for (const RunSeries& one : all) moments.insert(one.at.begin(), one.at.end());
  const std::vector<Moment> at(moments.begin(), moments.end());
  Json json = {{"at_ns", Json::array()}, {"of", Json::array()}};
  for (const Moment moment : at) json["at_ns"].push_back(ns(moment));
  for (const RunSeries& one : all) json["of"].push_back(reading_of(one, at));
  return json;
}

/// What is read of a file, with the place in it for errors.
class Reader {
 public:
  Reader(const Json& json, std::string where, std::string place)
      : json_(json), where_(std::move(where)), place_(std::move(place)) {}

  [[noreturn]] void fail(const std::string& problem) const {
    throw Error(Error::Code::invalid, fmt::format("{} {}", place_, problem), where_,
                "write such a file with 'idlemeter runs export --json'");
  }

  [[nodiscard]] Reader at(const char* name) const {
    if (!json_.is_object()) fail("must be an object");
    const auto found = json_.find(name);
    if (found == json_.end()) fail(fmt::format("has no '{}'", name));
    return {*found, where_, place_ + "." + name};
  }
  [[nodiscard]] Reader at(std::size_t i) const { return {json_[i], where_, fmt::format("{}[{}]", place_, i)}; }
  [[nodiscard]] bool has(const char* name) const { return json_.is_object() && json_.contains(name); }
  [[nodiscard]] bool is_null() const { return json_.is_null(); }

  [[nodiscard]] std::size_t size() const {
    if (!json_.is_array()) fail("must be an array");
    return json_.size();
  }
  [[nodiscard]] std::string text() const {
    if (!json_.is_string()) fail("must be a text");
    return json_.get<std::string>();
  }
  [[nodiscard]] bool truth() const {
    if (!json_.is_boolean()) fail("must be true or false");
    return json_.get<bool>();
  }
  [[nodiscard]] std::int64_t integer(std::int64_t least, std::int64_t most) const {
    const bool fits =
        json_.is_number_integer() &&
        (!json_.is_number_unsigned() || json_.get<std::uint64_t>() <= static_cast<std::uint64_t>(INT64_MAX));
    if (!fits || json_.get<std::int64_t>() < least || json_.get<std::int64_t>() > most)
      fail(fmt::format("must be a whole number from {} to {}", least, most));
    return json_.get<std::int64_t>();
  }
  [[nodiscard]] Nanoseconds length(bool may_be_negative = false) const {
    return Nanoseconds(integer(may_be_negative ? -kLongestTime.count() : 1, kLongestTime.count()));
  }
  [[nodiscard]] std::map<std::string, std::string> texts() const {
    if (!json_.is_object()) fail("must be an object");
    std::map<std::string, std::string> all;
    for (const auto& [name, value] : json_.items()) all[name] = Reader(value, where_, place_ + "." + name).text();
    return all;
  }
  [[nodiscard]] Value value() const {
    if (json_.is_null()) return Missing{};
    if (json_.is_string()) return json_.get<std::string>();
    if (!json_.is_number()) fail("must be a number, a text or null");
    return json_.get<double>();
  }

 private:
  const Json& json_;
  std::string where_, place_;
};

RunDetails details_of(const Reader& run) {
  RunDetails details;
  details.game = run.at("game").text();
  details.note = run.at("note").text();
  const Reader tags = run.at("tags");
  for (std::size_t i = 0; i < tags.size(); ++i) details.tags.push_back(tags.at(i).text());
  details.facts = run.at("facts").texts();
  details.settings = run.at("settings").texts();
  return details;
}

ReadingInfo info_of(const Reader& reading) {
  ReadingInfo info;
  info.id = reading.at("id").text();
  info.title = reading.at("title").text();
  info.brief = reading.at("brief").text();
  info.device = reading.at("device").text();
  const std::string kind = reading.at("kind").text();
  const auto* const known =
      std::find_if(std::begin(kDeviceKinds), std::end(kDeviceKinds), [&](DeviceKind k) { return name_of(k) == kind; });
  if (known == std::end(kDeviceKinds)) reading.at("kind").fail(fmt::format("isn't a kind of device: '{}'", kind));
  info.kind = *known;
  const auto unit = unit_from(reading.at("unit").text());
  if (!unit && !reading.at("unit").text().empty()) reading.at("unit").fail("isn't a unit");
  info.unit = unit.value_or(Unit::none);
  info.digits = static_cast<int>(reading.at("digits").integer(-1, 9));
  info.text = reading.at("text").truth();
  info.source = reading.at("source").text();
  info.alias = reading.at("alias").text();
  return info;
}

void add_frames(Recorder& recorder, const Reader& frames) {
  const Reader presented = frames.at("presented_ns"), times = frames.at("frame_time_ns");
  const std::size_t count = presented.size();
  if (times.size() != count) times.fail("must be as long as presented_ns");
  std::optional<Reader> work;
  if (frames.has("gpu_work_ns")) work.emplace(frames.at("gpu_work_ns"));
  if (work && work->size() != count) work->fail("must be as long as presented_ns");
  for (std::size_t i = 0; i < count; ++i) {
    const bool known = work && !work->at(i).is_null();
    recorder.add(
        {Moment{presented.at(i).length(true)}, times.at(i).length(), known ? work->at(i).length() : kUnknownTime});
  }
}

void add_readings(Recorder& recorder, const Reader& readings) {
  const Reader at = readings.at("at_ns"), all = readings.at("of");
  std::vector<ReadingInfo> infos;
  std::vector<Reader> values;
  for (std::size_t r = 0; r < all.size(); ++r) {
    infos.push_back(info_of(all.at(r)));
    values.push_back(all.at(r).at("values"));
    if (values.back().size() != at.size()) values.back().fail("must be as long as at_ns");
  }
  const auto list = std::make_shared<const ReadingList>(infos);
  if (list->readings().size() != infos.size()) all.fail("has a reading twice");
  for (std::size_t m = 0; m < at.size(); ++m) {
    const Moment moment{at.at(m).length(true)};
    std::vector<Value> row;
    for (const Reader& one : values) row.push_back(one.at(m).value());
    recorder.add(moment, Snapshot(moment, {std::make_shared<const Batch>(Batch{list, std::move(row), moment})}));
  }
}

void add_run(Store& store, const Reader& run, Database& database) {
  static const std::regex kTime(R"(\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ)");
  const std::string uuid = run.at("uuid").text(), started = run.at("started").text();
  if (uuid.empty() || uuid.size() > 1'000) run.at("uuid").fail("isn't a UUID");
  if (!std::regex_match(started, kTime)) run.at("started").fail("isn't a time like 2026-03-01T20:15:00Z");
  const auto lost = static_cast<std::uint64_t>(run.at("lost_frames").integer(0, INT64_MAX));
  const bool finished = run.at("finished").truth();
  std::optional<RunEnd> end;
  if (const Reader ended = run.at("ended"); !ended.is_null()) {
    end = run_end_from(ended.text());
    if (!end) ended.fail("isn't how a run ends");
  }
  Recorder recorder(store, details_of(run), [] { return Moment{}; });
  add_frames(recorder, run.at("frames"));
  add_readings(recorder, run.at("readings"));
  const std::int64_t id = recorder.finish(end.value_or(RunEnd::asked), lost);
  Statement(database, "UPDATE run SET uuid = ?, started = ?, finished = ?, ended = ? WHERE id = ?")
      .bind(uuid, started, std::int64_t{finished}, end ? std::string(name_of(*end)) : std::string(), id)
      .run();
}

}  // namespace

std::string run_file(const Store& store, std::span<const std::int64_t> runs) {
  std::string text = fmt::format("{}\"version\":{},\"runs\":[", kBegin, kVersion);
  for (const std::int64_t id : runs) {
    const RunInfo info = store.run(id);
    const Json json = {{"uuid", info.uuid},
                       {"game", info.details.game},
                       {"started", info.started},
                       {"finished", info.finished},
                       {"ended", info.end ? Json(name_of(*info.end)) : Json()},
                       {"lost_frames", info.lost},
                       {"note", info.details.note},
                       {"tags", info.details.tags},
                       {"settings", info.details.settings},
                       {"facts", info.details.facts},
                       {"frames", frames_of(store.frames(id))},
                       {"readings", readings_of(store.series(id))}};
    text += (text.back() == '[' ? "\n" : ",\n") + json.dump(-1, ' ', false, Json::error_handler_t::replace);
  }
  return text + "\n]}\n";
}

bool is_run_file(std::string_view bytes) { return bytes.starts_with(kBegin); }

Store::Added add_run_file(Store& into, std::string_view bytes, const std::string& where) {
  Json json;
  try {
    json = Json::parse(bytes);
  } catch (const Json::exception& error) {
    throw Error(Error::Code::unreadable, fmt::format("isn't JSON ({})", error.what()), where,
                "it may not have been copied to its end");
  }
  const Reader file(json, where, "the file");
  if (file.at("format").text() != "idle-meter-runs") file.at("format").fail("isn't idle-meter-runs");
  const std::int64_t version = file.at("version").integer(1, INT64_MAX);
  if (version > kVersion)
    throw Error(Error::Code::newer, fmt::format("is of version {}, made by a newer Idle Meter", version), where,
                "update this one");
  ScratchStore scratch;
  Database database(scratch.store().path().string(), where, SQLITE_OPEN_READWRITE, {});
  const Reader all = file.at("runs");
  for (std::size_t i = 0; i < all.size(); ++i)
    add_run(scratch.store(), Reader(json["runs"][i], where, fmt::format("run {}:", i + 1)), database);
  return into.add(scratch.store());
}

Store::Added add_frame_log(Store& into, const FrameLog& log, const RunDetails& details) {
  ScratchStore scratch;
  for (const LoggedFrames& run : log.runs) {
    RunDetails its = details;
    if (log.runs.size() > 1) its.settings[log.format.split.name] = run.name;
    Moment now{};
    Recorder recorder(scratch.store(), its, [&now] { return now; });
    for (const FrameRecord& frame : run.frames) {
      now = frame.at;
      recorder.add(frame);
    }
    recorder.finish();
  }
  return into.add(scratch.store());
}

}  // namespace idlemeter
