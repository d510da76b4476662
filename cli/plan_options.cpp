#include "plan_options.hpp"

#include <fmt/format.h>

#include <string>

#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/time.hpp"
#include "output.hpp"

namespace idlemeter::cli {
namespace {

constexpr Nanoseconds kDay = std::chrono::hours(24), kShortest = kSecond / 10;

/// "" or what is wrong; seconds without a unit.
std::string read_time(const std::string& text, Nanoseconds least, Nanoseconds& into) {
  const auto time = duration_from(text, "s");
  if (!time || *time < least || *time > kDay)
    return fmt::format("'{}' isn't a time from {:g} s to a day; write it like 60, 90s or 1:30", text,
                       in_seconds(least));
  into = *time;
  return "";
}

std::string read_setting(const std::string& text, RecordingPlan& plan) {
  const std::size_t equals = text.find('=');
  if (equals == 0 || equals == std::string::npos)
    return fmt::format("'{}' isn't a setting; write it like preset=High", text);
  plan.notes.settings.insert_or_assign(text.substr(0, equals), text.substr(equals + 1));
  return "";
}

}  // namespace

std::string wrong_with(const RecordingPlan& plan) {
  if (plan.repeat > 1 && !plan.length) return "--repeat needs --for: how long each run is";
  if (plan.repeat > 1'000) return "--repeat takes up to 1000 runs";
  return "";
}

int misuse(const std::string& command, const std::string& wrong) {
  complain("idlemeter: {}\nTry 'idlemeter {} --help'.\n", wrong, command);
  return 2;
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
      "--for", kShortest, [to](Nanoseconds length) { to->length = length; },
      "How long each run is: 60 (seconds), 90s or 1:30");
  time(
      "--after", Nanoseconds{}, [to](Nanoseconds length) { to->after = length; },
      "How long to wait before the first run");
  command.option("--repeat", to->repeat, "How many runs to record").check(positive());
  time(
      "--pause", Nanoseconds{}, [to](Nanoseconds length) { to->pause = length; }, "How long to wait between runs");
  command
      .option(
          "--set", [to](const std::string& text) { return read_setting(text, *to); },
          "A setting you are testing, kept with the runs, like preset=High; may be repeated")
      .repeats();
  command.option("--note", to->notes.note, "A note to keep with the runs");
  command.option("--tag", to->notes.tags, "A tag to keep with the runs; may be repeated").repeats();
}

}  // namespace idlemeter::cli
