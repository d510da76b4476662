// usage: regression_gate STORE BASE-TAG NEW-TAG [JUNIT.xml]: for a game's build server. Compares the 1% low of the runs
// with these tags: exit status 1 if it is really worse than the base's, 0 if it isn't, 2 if there are too few runs to
// tell. JUnit's XML is what build servers read.
#include <cstdio>
#include <fstream>
#include <stdexcept>
#include <string>

#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/run_filter.hpp"
#include "idlemeter/runs/store.hpp"

namespace {

using namespace idlemeter;

RunGroup group_of(const Store& store, const std::string& tag, const FigureSet& figures) {
  RunGroup group{tag, {}};
  const RunFilter filter{.tags = {tag}};
  for (const RunInfo& run : store.runs()) {
    if (filter.matches(run)) group.runs.push_back(insight_of(store, run.id, {.figures = figures.request()}));
  }
  if (group.runs.empty()) throw std::runtime_error("no run has the tag '" + tag + "'");
  return group;
}

/// "1% low: -4.1 % (-5.0 % to -3.2 %), lower"
std::string sentence(const ComparedFigure& figure, const Difference& difference) {
  char text[200] = "";
  std::snprintf(text, sizeof text, "%s: %+.1f %%", figure.info.brief.c_str(), 100 * difference.value);
  std::string all = text;
  if (difference.low) {
    std::snprintf(text, sizeof text, " (%+.1f %% to %+.1f %%)", 100 * *difference.low, 100 * *difference.high);
    all += text;
  }
  return all + ", " + std::string(name_of(difference.verdict));
}

void write_junit(const std::string& file, const std::string& said, Verdict verdict) {
  std::ofstream xml(file);
  const char* result = verdict == Verdict::lower     ? "<failure message=\"the 1% low is worse\">"
                       : verdict == Verdict::too_few ? "<skipped message=\"too few runs to tell\"/><system-out>"
                                                     : "<system-out>";
  const char* end = verdict == Verdict::lower ? "</failure>" : "</system-out>";
  xml << "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuite name=\"frame times\" tests=\"1\" failures=\""
      << (verdict == Verdict::lower ? 1 : 0) << "\" skipped=\"" << (verdict == Verdict::too_few ? 1 : 0)
      << "\">\n  <testcase classname=\"frame times\" name=\"1% low\">" << result << said << end
      << "</testcase>\n</testsuite>\n";
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 4 || argc > 5) {
    std::fputs("usage: regression_gate STORE BASE-TAG NEW-TAG [JUNIT.xml]\n", stderr);
    return 2;
  }
  try {
    const FigureSet figures({"frame.low@1%"});
    const Store store(argv[1], Store::Mode::existing);
    const Comparison comparison =
        compare({group_of(store, argv[2], figures), group_of(store, argv[3], figures)}, figures);
    const ComparedFigure& low = comparison.figures.front();
    const auto& difference = low.groups[1].difference;
    if (!difference) throw std::runtime_error("the runs have no frames");
    const std::string said = sentence(low, *difference);
    std::printf("%s\n", said.c_str());
    if (argc == 5) write_junit(argv[4], said, difference->verdict);
    if (difference->verdict == Verdict::too_few) return 2;
    return difference->verdict == Verdict::lower ? 1 : 0;
  } catch (const std::exception& error) {
    std::fprintf(stderr, "regression_gate: %s\n", error.what());
    return 2;
  }
}
