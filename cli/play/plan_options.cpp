#include "play/plan_options.hpp"

#include <fmt/format.h>

#include <string>
#include <utility>

#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/time.hpp"
#include "output.hpp"

namespace idlemeter::cli {
namespace {

/// "" or what is wrong; seconds without a unit.
std::string read_time(const std::string& text, Nanoseconds least, Nanoseconds& into) {
  const auto time = duration_from(text, "s");
  if (!time || *time < least || *time > RecordingPlan::kLongest)
    return fmt::format("'{}' isn't a time from {:g} s to a day; write it like 60, 90s or 1:30", text,
                       in_seconds(least));
  into = *time;
  return "";
}

using SettingValues = std::map<std::string, std::string>;

std::string read_setting(const std::string& text, SettingValues& settings) {
  const std::size_t equals = text.find('=');
  if (equals == 0 || equals == std::string::npos)
    return fmt::format("'{}' isn't a setting; write it like preset=High", text);
  settings.insert_or_assign(text.substr(0, equals), text.substr(equals + 1));
  return "";
}

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
  const auto time = [&](const char* name, Nanoseconds least, auto set, const char* about) {
    command.option(
        name,
        [least, set](const std::string& text) {
          Nanoseconds length{};
          const std::string wrong = read_time(text, least, length);
          if (wrong.empty()) set(length);
          return wrong;
        },
        about);
  };
  time(
      "--for", RecordingPlan::kShortest, [to](Nanoseconds length) { to->length = length; },
      "How long each run is: 60 (seconds), 90s or 1:30");
  command.option(
      "--after",
      [to](const std::string& text) {
        if ((to->at_mark = text == "mark")) return std::string();
        return read_time(text, Nanoseconds{}, to->after);
      },
      "How long to wait from the game's first frame to the first run; or mark: it begins at a mark");
  command.option("--repeat", to->repeat, "How many runs to record").check(positive());
  time(
      "--pause", Nanoseconds{}, [to](Nanoseconds length) { to->pause = length; }, "How long to wait between runs");
  command.option("--note", to->notes.note, "A note to keep with the runs");
  add_setting_options(command, plan.notes);
}

namespace {

void add_settings(Command command, SettingValues& settings, std::vector<std::string>& tags, const char* about_setting,
                  const char* about_tag) {
  SettingValues* const to = &settings;
  command
      .option(
          "--set", [to](const std::string& text) { return read_setting(text, *to); }, about_setting)
      .repeats();
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
