#include "play/plan_options.hpp"

#include <fmt/format.h>

#include <string>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "output.hpp"

namespace idlemeter::cli {
namespace {

/// What an option takes that the library reads: "" or what is wrong.
auto read_by(auto read) {
  return [read](const std::string& text) -> std::string {
    try {
      return read(text), "";
    } catch (const Error& error) {
      return error.what();
    }
  };
}

using SettingValues = std::map<std::string, std::string>;

}  // namespace

int misuse(const std::string& command, const std::string& wrong) {
  complain("idlemeter: {}\nTry 'idlemeter {} --help'.\n", wrong, command);
  return 2;
}

std::string problem_with_options(const RecordingPlan& plan) {
  if (plan.repeat > 1 && !plan.length) return "runs that are repeated need a length: say how long each is, with --for";
  return problem_with(plan);
}

void add_plan_options(Command command, RecordingPlan& plan) {
  RecordingPlan* const to = &plan;
  const auto length = [to](const std::string& text) { to->length = plan_time_from(text, RecordingPlan::kShortest); };
  command.option("--for", read_by(length), "How long each run is: 60 (seconds), 90s or 1:30");
  const auto after = [to](const std::string& text) {
    if (!(to->at_mark = text == "mark")) to->after = plan_time_from(text);
  };
  command.option("--after", read_by(after),
                 "How long to wait from the game's first frame to the first run; or mark: it begins at a mark");
  command.option("--repeat", to->repeat, "How many runs to record").check(positive());
  const auto pause = [to](const std::string& text) { to->pause = plan_time_from(text); };
  command.option("--pause", read_by(pause), "How long to wait between runs");
  command.option("--note", to->notes.note, "A note to keep with the runs");
  add_setting_options(command, plan.notes);
}

void add_wait_option(Command command, Nanoseconds& wait) {
  Nanoseconds* const to = &wait;
  command.option("--wait-for-frames", read_by([to](const std::string& text) { *to = plan_time_from(text); }),
                 "How long --end-game waits for the first frame before it ends the game (default: 5:00)");
}

namespace {

void add_settings(Command command, SettingValues& settings, std::vector<std::string>& tags, const char* about_setting,
                  const char* about_tag) {
  SettingValues* const to = &settings;
  const auto setting = [to](const std::string& text) { add_setting(text, *to); };
  command.option("--set", read_by(setting), about_setting).repeats();
  command.option("--tag", tags, about_tag).repeats();
}

}  // namespace

void add_setting_options(Command command, RunNotes& notes) {
  add_settings(std::move(command), notes.settings, notes.tags,
               "A setting you are testing, kept with the run, like preset=High; may be repeated",
               "A tag to keep with the run; may be repeated");
}

void add_setting_filter(Command command, std::map<std::string, std::string>& settings, std::vector<std::string>& tags) {
  add_settings(std::move(command), settings, tags, "Only runs with this setting, like preset=High; may be repeated",
               "Only runs with this tag; may be repeated");
}

}  // namespace idlemeter::cli
