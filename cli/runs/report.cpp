// idlemeter report: runs as one HTML file.
#include <fmt/format.h>

#include <filesystem>
#include <memory>

#include "commands.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/report/report_page.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "runs/group_options.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct ReportArgs {
  std::string store = usual_store(), file, title, note;
  GroupOptions groups;
  bool arguments = false;
};

int report(const ReportArgs& options) {
  const GroupChoice& choice = options.groups.groups;
  if (choice.lists.empty() && choice.tags.empty() && options.groups.by.empty())
    return misuse("report",
                  "name runs, like 3 or 1-5, groups to compare, like 1-5 6-10, or choose them by --tag or --by");
  const std::string file = options.file.empty() ? "report.html" : options.file;
  if (options.file.empty() && std::filesystem::exists(file))
    throw Error(Error::Code::exists, "already exists", file, "name a file with -o; one that is named is replaced");
  const Store store(options.store, Store::Mode::existing);
  const auto [figures, chosen] = read_groups(store, options.groups, InsightOptions{}.hitches);
  replace_file(
      file,
      report_page(
          store, chosen.groups, figures,
          {.title = options.title, .note = options.note, .comparison = chosen.how, .arguments = options.arguments}));
  print("{}\n", file);
  return 0;
}

}  // namespace

void add_report(Command app) {
  const auto options = std::make_shared<ReportArgs>();
  Command command = app.add("report", "Write runs, or a comparison, as one HTML file that opens anywhere",
                            [options] { return report(*options); });
  add_group_options(command, options->groups, "Runs, like 3 or 1-5; several lists are compared as groups");
  command.option("-o,--output", options->file, "The file to write; by default report.html");
  command.option("--title", options->title, "The title; by default the game and the machine");
  command.option("--note", options->note, "A paragraph below the title");
  command.flag("--arguments", options->arguments,
               "Show the games' command lines, which may contain a launcher's tokens");
  command.option("--store", options->store, "The store with the runs").shows_default();
}

}  // namespace idlemeter::cli
