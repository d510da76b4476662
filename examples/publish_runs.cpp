// usage: publish_runs STORE SETTING FOLDER: compares the runs of a store by a setting, and writes the comparison, plots
// and a report into a folder. Each part is a few calls.
#include <cstdio>
#include <exception>
#include <filesystem>
#include <string>
#include <vector>

#include "idlemeter/base/file.hpp"
#include "idlemeter/insight/change_subject.hpp"
#include "idlemeter/insight/change_words.hpp"
#include "idlemeter/insight/comparison_text.hpp"
#include "idlemeter/insight/run_groups.hpp"
#include "idlemeter/json/comparison.hpp"
#include "idlemeter/plot/comparison_plot.hpp"
#include "idlemeter/plot/run_plot.hpp"
#include "idlemeter/plot/write_plot.hpp"
#include "idlemeter/report/report_page.hpp"
#include "idlemeter/runs/store.hpp"

using namespace idlemeter;

namespace {

void publish(const Store& store, const std::string& setting, const std::filesystem::path& folder) {
  // Groups of runs with the same value, and what differs between them.
  const FigureSet figures({kUsualFigures.begin(), kUsualFigures.end()});
  const ChosenGroups chosen = choose_groups(store, {.by = {setting}}, figures, 5);  // a report shows hitches
  const Comparison comparison = compare(chosen.groups, figures, chosen.how);
  std::fputs(comparison_text(comparison, chosen.how.rules).c_str(), stdout);
  replace_file(folder / "comparison.json", comparison_json(comparison));
  write_plot(comparison_plot(comparison, chosen.how.rules, "by " + setting), folder / "bars.svg");

  // A run of each group over each other, and what changed during the first.
  std::vector<std::int64_t> runs;
  for (const RunGroup& group : chosen.groups) runs.push_back(group.runs.front().info.id);
  write_plot(run_plot(store, runs, {.readings = {"gpu.temp"}}), folder / "runs.svg");
  std::fputs(changes_text(find_changes(change_subject(store, runs.front()))).c_str(), stdout);

  replace_file(folder / "report.html", report_page(store, chosen.groups, figures, {.comparison = chosen.how}));
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 4) {
    std::fputs("usage: publish_runs STORE SETTING FOLDER\n", stderr);
    return 2;
  }
  try {
    publish(Store(argv[1], Store::Mode::existing), argv[2], argv[3]);
  } catch (const std::exception& error) {
    std::fprintf(stderr, "publish_runs: %s\n", error.what());
    return 1;
  }
}
