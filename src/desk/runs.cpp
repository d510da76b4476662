#include "desk/runs.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/insight/definitions.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/meter/recording_plan.hpp"
#include "idlemeter/runs/frame_log.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "idlemeter/runs/run_filter.hpp"
#include "idlemeter/runs/run_list.hpp"

namespace idlemeter::desk {
namespace {

namespace fs = std::filesystem;

constexpr int kMostInAnswer = 300;

/// Of the figures that a list shows.
const FigureSet& list_figures() {
  static const FigureSet set({"frame.average", "frame.low@1%", "frame.low@0.1%", "stutter.lost"});
  return set;
}

struct Filter {
  RunFilter what;
  std::vector<std::int64_t> runs;  ///< only these; empty: all

  [[nodiscard]] bool matches(const RunInfo& run) const {
    return what.matches(run) && (runs.empty() || std::find(runs.begin(), runs.end(), run.id) != runs.end());
  }
};

Filter filter_in(const std::string& text) {
  Filter all;
  RunFilter& filter = all.what;
  const Json json = text.empty() ? Json::object() : Json::parse(text, nullptr, false);
  if (!json.is_object()) throw Error(Error::Code::invalid, "a filter is an object");
  filter.game = text_or_none(json, "game");
  filter.text = text_or_none(json, "text");
  filter.since = text_or_none(json, "since");
  filter.until = text_or_none(json, "until");
  filter.tags = texts_in(json, "tags");
  for (const std::string& setting : texts_in(json, "settings")) add_setting(setting, filter.settings);
  if (json.contains("runs")) all.runs = run_list(text_in(json, "runs"));
  return all;
}

std::vector<std::int64_t> runs_in(const Json& question) {
  const auto found = question.find("runs");
  const auto is_number = [](const Json& one) { return one.is_number_integer(); };
  if (found == question.end() || !found->is_array() || found->empty() ||
      !std::all_of(found->begin(), found->end(), is_number))
    throw Error(Error::Code::invalid, "'runs' is a list of numbers");
  return *found;
}

Json line_of(const RunInfo& run) {
  const double seconds = in_seconds(run.length);
  return {{"run", run.id},
          {"game", run.details.game},
          {"started", run.started},
          {"length_s", seconds},
          {"frames", run.frames},
          {"average_fps", seconds > 0 && run.frames > 0 ? Json(static_cast<double>(run.frames) / seconds) : Json()},
          {"finished", run.finished},
          {"note", run.details.note},
          {"tags", run.details.tags},
          {"settings", run.details.settings},
          {"problem", run.problem}};
}

/// Games, tags and settings of all runs: what a list can be filtered by, each at most once.
Json choices_in(const std::vector<RunInfo>& runs) {
  constexpr std::size_t kMost = 100;
  std::set<std::string> games, tags, settings;
  for (const RunInfo& run : runs) {
    if (games.size() < kMost) games.insert(run.details.game);
    for (const std::string& tag : run.details.tags) {
      if (tags.size() < kMost) tags.insert(tag);
    }
    for (const auto& [name, value] : run.details.settings) {
      if (settings.size() < kMost) settings.insert(name + "=" + value);
    }
  }
  return {{"games", games}, {"tags", tags}, {"settings", settings}};
}

Json added_json(const char* kind, const Store::Added& added) {
  return {{"kind", kind},
          {"runs", added.runs},
          {"continued", added.continued},
          {"already", added.already},
          {"words", added_words(added)}};
}

LogColumn column_in(const http::Request& request, const std::string& name) {
  LogColumn column{.name = request.parameter(name).value_or("")};
  const std::string unit = request.parameter(name + "-unit").value_or("");
  if (unit.empty()) return column;
  column.unit = log_unit_from(unit);
  if (!column.unit)
    throw Error(Error::Code::invalid, fmt::format("'{}' isn't a unit", unit), "", "use ns, us, ms or s");
  return column;
}

FrameLogFormat format_in(const http::Request& request) {
  return {.frame_time = column_in(request, "frame-time"),
          .time = column_in(request, "time"),
          .gpu_work = column_in(request, "gpu-work"),
          .split = column_in(request, "split")};
}

Json column_json(const LogColumn& column) {
  return {{"name", column.name}, {"unit", column.unit ? std::string(name_of(*column.unit)) : ""}};
}

/// How a log was read, to be confirmed or corrected.
Json log_json(const FrameLog& log) {
  Json runs = Json::array();
  for (const LoggedFrames& run : log.runs) {
    runs.push_back({{"name", run.name}, {"frames", run.frames.size()}, {"words", frame_count_words(run)}});
  }
  Json broken = Json::array();
  for (const BrokenLine& one : log.first_broken) broken.push_back({{"line", one.line}, {"why", one.why}});
  return {{"notes", log.notes},
          {"runs", runs},
          {"lines", log.lines},
          {"broken", log.broken},
          {"first_broken", broken},
          {"frame_time", column_json(log.format.frame_time)},
          {"time", column_json(log.format.time)},
          {"gpu_work", column_json(log.format.gpu_work)},
          {"split", column_json(log.format.split)}};
}

}  // namespace

Json Runs::list(const http::Request& request) const {
  const Filter filter = filter_in(request.parameter("filter").value_or(""));
  const int from = number_in(request, "from", 0, 10'000'000), count = number_in(request, "count", 1, kMostInAnswer);
  const std::string order_name = request.parameter("order").value_or("number");
  const auto order = run_order_from(order_name);
  if (!order) throw Error(Error::Code::invalid, fmt::format("runs can't be ordered by '{}'", order_name));
  std::error_code failed;
  std::vector<RunInfo> runs;
  if (fs::exists(store_, failed)) runs = open().runs(Store::Facts::none);
  const std::size_t all = runs.size();
  Json answer = {{"choices", choices_in(runs)}};
  std::erase_if(runs, [&](const RunInfo& run) { return !filter.matches(run); });
  sort_runs(runs, *order);
  if (request.parameter("rising").value_or("") != "yes") std::reverse(runs.begin(), runs.end());
  answer["all"] = all;
  answer["total"] = runs.size();
  answer["from"] = from;
  answer["runs"] = Json::array();
  const auto first = std::min(runs.size(), static_cast<std::size_t>(from));
  for (std::size_t i = first; i < std::min(runs.size(), first + static_cast<std::size_t>(count)); ++i)
    answer["runs"].push_back(line_of(runs[i]));
  return answer;
}

std::int64_t Runs::newest() const {
  try {
    std::error_code failed;
    const auto all = fs::exists(store_, failed) ? open().runs(Store::Facts::none) : std::vector<RunInfo>();
    return all.empty() ? 0 : all.back().id;
  } catch (const Error&) {  // the list of runs says why
    return 0;
  }
}

Json Runs::figures(const std::string& runs) const {
  const std::vector<std::int64_t> ids = run_list(runs);
  if (ids.size() > kMostInAnswer) throw Error(Error::Code::invalid, "too many runs at once");
  const Store store = open();
  std::vector<RunInfo> infos;
  for (RunInfo& run : store.runs(Store::Facts::none)) {
    if (run.problem.empty() && std::find(ids.begin(), ids.end(), run.id) != ids.end()) infos.push_back(std::move(run));
  }
  Json all = Json::array();
  const FigureSet& set = list_figures();
  for (const RunInsight& run : insights_of_list(store, std::move(infos),
                                                {.figures = set.request(), .hitches = 0, .readings = set.readings()})) {
    Json one = {{"run", run.info.id}, {"figures", Json::array()}, {"doubts", doubts_json(run)}};
    for (const RunFigure& figure : set.of(run))
      one["figures"].push_back({{"id", figure.info.id},
                                {"value", figure.value ? Json(*figure.value) : Json()},
                                {"of_too_few_frames", figure.is_uncertain}});
    all.push_back(std::move(one));
  }
  return {{"runs", all}};
}

void Runs::change(const Json& question) const {
  RunChange change{.tags = texts_in(question, "tags"),
                   .tags_to_drop = texts_in(question, "tags_to_drop"),
                   .settings_to_drop = texts_in(question, "settings_to_drop")};
  if (question.contains("game")) change.game = text_in(question, "game");
  if (question.contains("note")) change.note = text_in(question, "note");
  for (const std::string& setting : texts_in(question, "settings")) add_setting(setting, change.settings);
  open().change(runs_in(question), change);
}

void Runs::remove(const Json& question) const { open().remove(runs_in(question)); }

void Runs::restore(const Json& question) const { open().restore(runs_in(question)); }

Store::Added Runs::filled(const std::function<Store::Added(Store&)>& fill) const {
  Store::Added added;
  fill_store(store_, [&](Store& store) { added = fill(store); });
  return added;
}

Json Runs::add(const http::Request& request) const {
  constexpr std::string_view kStore = "SQLite format 3";
  const std::string& bytes = request.body();
  const std::string name = request.parameter("name").value_or("the file");
  if (bytes.empty()) throw Error(Error::Code::invalid, "is empty", name);
  if (bytes.starts_with(kStore)) {
    const ScratchFolder folder;
    const fs::path file = folder.path() / "dropped.db";
    replace_file(file, bytes, FileKind::other);
    try {
      return added_json("store", filled([&](Store& into) { return add_runs(into, file); }));
    } catch (const Error& error) {  // the name of the copy would tell nobody anything
      if (error.where() != file.string()) throw;
      throw Error(error.code(), error.problem(), name, error.fix());
    }
  }
  if (is_run_file(bytes))
    return added_json("run file", filled([&](Store& into) { return add_run_file(into, bytes, name); }));
  const FrameLog log = parse_frame_log(bytes, name, format_in(request));
  Json answer = {{"kind", "frame log"}, {"log", log_json(log)}};
  if (request.parameter("sure").value_or("") != "yes") return answer;
  const RunDetails details{.game = request.parameter("game").value_or(""), .facts = {{"Imported from", name}}};
  const Store::Added added = filled([&](Store& into) { return add_frame_log(into, log, details); });
  answer.update(added_json("frame log", added));
  return answer;
}

Json definitions_json() {
  Json all = Json::array();
  for (const Definition& one : figure_definitions()) all.push_back({{"term", one.term}, {"words", one.words}});
  return {{"definitions", all}};
}

Json doubts_json(const RunInsight& run) {
  Json doubts = Json::array();
  for (const Doubt& doubt : run.doubts)
    doubts.push_back({{"rule", name_of(doubt.rule)}, {"text", doubt.text}, {"advice", advice_on(doubt.rule)}});
  return doubts;
}

}  // namespace idlemeter::desk
