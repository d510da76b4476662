#include "desk/share.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/comparison_text.hpp"
#include "idlemeter/insight/definitions.hpp"
#include "idlemeter/insight/results_file.hpp"
#include "idlemeter/insight/run_groups.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/json/comparison.hpp"
#include "idlemeter/plot/comparison_plot.hpp"
#include "idlemeter/plot/run_plot.hpp"
#include "idlemeter/plot/write_plot.hpp"
#include "idlemeter/report/report_page.hpp"
#include "idlemeter/runs/run_csv.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "idlemeter/runs/run_list.hpp"

namespace idlemeter::desk {
namespace {

constexpr std::size_t kMostRuns = 1'000;

FigureSet usual_figures() { return FigureSet({kUsualFigures.begin(), kUsualFigures.end()}); }

GroupChoice choice_in(const http::Request& request) {
  GroupChoice choice{.lists = split(text_in(request, "groups"), ';'), .base = request.parameter("base").value_or("")};
  choice.by = split(request.parameter("by").value_or(""), ',');
  std::size_t all = 0;
  for (const std::string& list : choice.lists) all += run_list(list).size();
  if (all == 0 || all > kMostRuns) throw Error(Error::Code::invalid, "choose up to a thousand runs");
  return choice;
}

std::vector<std::int64_t> runs_in(const http::Request& request) { return run_lists(choice_in(request).lists); }

/// Settings that differ among the runs: what they can be grouped by.
std::vector<std::string> offers(const std::vector<RunGroup>& groups) {
  std::map<std::string, std::set<std::string>> values;
  std::map<std::string, std::size_t> with;
  std::size_t runs = 0;
  for (const RunGroup& group : groups) {
    for (const RunInsight& run : group.runs) {
      ++runs;
      for (const auto& [name, value] : run.info.details.settings) {
        values[name].insert(value);
        ++with[name];
      }
    }
  }
  std::vector<std::string> names;
  for (const auto& [name, all] : values) {
    if (all.size() > 1 || with[name] < runs) names.push_back(name);
  }
  return names;
}

Json words_of(const Comparison& comparison) {
  Json figures = Json::array();
  for (const ComparedFigure& figure : comparison.figures) {
    Json groups = Json::array();
    for (std::size_t g = 0; g < figure.groups.size(); ++g) {
      const ComparedGroup& group = figure.groups[g];
      Json words = {{"mean", mean_words(figure, group)}, {"difference", ""}, {"interval", ""}, {"verdict", ""}};
      if (g == comparison.base) words["verdict"] = "base";
      if (const auto& difference = group.difference) {
        words["difference"] = amount_words(figure.info, *difference, difference->value);
        words["interval"] = interval_words(figure.info, *difference);
        words["verdict"] = verdict_words(figure.info, *difference);
      }
      groups.push_back(std::move(words));
    }
    figures.push_back(std::move(groups));
  }
  return figures;
}

/// A name that no file system minds.
std::string file_name(const http::Request& request, const char* what, const char* ending) {
  std::string name = what;
  for (const char c : request.parameter("groups").value_or("")) name += (c >= '0' && c <= '9') || c == '-' ? c : '_';
  constexpr std::size_t kMost = 60;
  return name.substr(0, kMost) + ending;
}

http::Answer file_answer(std::string bytes, const char* type, const std::string& name) {
  return {http::kOk, std::move(bytes), type, {{"Content-Disposition", "attachment; filename=\"" + name + "\""}}};
}

std::string picture_bytes(const auto& plot) {
  const ScratchFolder folder;
  const std::filesystem::path file = folder.path() / "plot.png";
  write_plot(plot, file);
  FileBytes read = read_regular_file(file, limits::kHttpBody);
  if (!read.problem.empty()) throw Error(Error::Code::unreadable, read.problem, file.string());
  return std::move(read.bytes);
}

struct Compared {
  ChosenGroups chosen;
  Comparison comparison;
};

Compared compare_in(const Store& store, const http::Request& request) {
  const FigureSet figures = usual_figures();
  Compared all{choose_groups(store, choice_in(request), figures), {}};
  all.comparison = compare(all.chosen.groups, figures, all.chosen.how);
  return all;
}

std::string picture(const Store& store, const http::Request& request) {
  const bool is_dark = request.parameter("look").value_or("") == "dark";
  if (request.parameter("kind").value_or("") != "time") {
    const Compared all = compare_in(store, request);
    BarPlot plot =
        comparison_plot(all.comparison, all.chosen.how.rules, all.chosen.groups.front().runs.front().info.details.game);
    plot.dark = is_dark;
    return picture_bytes(plot);
  }
  return picture_bytes(run_plot(store, runs_in(request), {.dark = is_dark}));
}

}  // namespace

Json compared(const Runs& runs, const http::Request& request) {
  const Compared all = compare_in(runs.open(), request);
  std::vector<std::string> odd = odd_run_words(all.comparison), doubts = doubt_words(all.comparison);
  return {{"comparison", Json::parse(comparison_json(all.comparison))},
          {"words", words_of(all.comparison)},
          {"sentences", comparison_sentences(all.comparison)},
          {"doubts", doubts},
          {"odd", odd},
          {"definition", comparison_definition(all.chosen.how.rules.confidence)},
          {"offers", offers(all.chosen.groups)}};
}

http::Answer shared(const Runs& runs, const http::Request& request) {
  const Store store = runs.open();
  const std::string as = text_in(request, "as");
  if (as == "report") {
    const FigureSet figures = usual_figures();
    const ChosenGroups chosen = choose_groups(store, choice_in(request), figures, InsightOptions{}.hitches);
    return file_answer(report_page(store, chosen.groups, figures, {.comparison = chosen.how}),
                       "text/html; charset=utf-8", file_name(request, "report-", ".html"));
  }
  if (as == "picture") return file_answer(picture(store, request), "image/png", file_name(request, "plot-", ".png"));
  if (as == "markdown")
    return file_answer(comparison_markdown(compare_in(store, request).comparison), "text/markdown; charset=utf-8",
                       file_name(request, "comparison-", ".md"));
  if (as == "csv")
    return file_answer(comparison_csv(compare_in(store, request).comparison), "text/csv; charset=utf-8",
                       file_name(request, "comparison-", ".csv"));
  const std::vector<std::int64_t> ids = runs_in(request);
  if (as == "frames")
    return file_answer(frames_csv(store, ids), "text/csv; charset=utf-8", file_name(request, "frames-", ".csv"));
  if (as == "readings")
    return file_answer(readings_csv(store, ids), "text/csv; charset=utf-8", file_name(request, "readings-", ".csv"));
  if (as == "results")
    return file_answer(results_csv(insights_of(store, ids, {.hitches = 0})), "text/csv; charset=utf-8",
                       file_name(request, "results-", ".csv"));
  if (as == "runs") return file_answer(run_file(store, ids), "application/json", file_name(request, "runs-", ".json"));
  throw Error(Error::Code::invalid, fmt::format("runs can't be handed on as '{}'", as));
}

}  // namespace idlemeter::desk
