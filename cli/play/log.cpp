// idlemeter log: readings over hours or days, without a game.
#include <fmt/format.h>
#include <time.h>

#include <algorithm>
#include <map>
#include <memory>

#include "commands.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading_filter.hpp"
#include "idlemeter/runs/reading_log.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "terminal.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct LogArgs {
  ValueOptions values;
  std::string store = usual_store(), note;
  std::vector<std::string> words, paces;
  std::map<std::string, Nanoseconds> pace_of;
  Nanoseconds every = kSecond / 2, length{}, part = std::chrono::hours(1);
  RunNotes notes;
  bool drop_oldest = false;
};

/// Goes on while the machine sleeps, unlike the monotonic clock, and isn't set, unlike the time of day.
Moment now() {
  timespec time{};
  ::clock_gettime(CLOCK_BOOTTIME, &time);
  return Moment{std::chrono::seconds(time.tv_sec) + Nanoseconds(time.tv_nsec)};
}

/// Tells of a store that takes nothing, and of one that does again.
class Trouble {
 public:
  void tell(const ReadingLog& log) {
    if (log.problem() == last_) return;
    last_ = log.problem();
    if (last_.empty()) {
      complain("idlemeter: logging continues as run {}; {} samples were lost\n", log.runs().back(), log.lost());
    } else {
      complain("idlemeter: nothing is logged for now: {}\n", last_);
    }
  }

 private:
  std::string last_;
};

LogOptions log_options(const LogArgs& options) {
  LogOptions how;
  how.wants = [&options](const ReadingInfo& info) { return is_for_log(info, options.words); };
  how.paces = options.pace_of;
  how.drop_oldest = options.drop_oldest;
  if (options.drop_oldest) how.part = options.part;
  return how;
}

int log_readings(const LogArgs& options) {
  Values values(options.values);
  Snapshot snapshot = values.next(0);
  const auto entries = snapshot.entries();
  const auto count = std::count_if(entries.begin(), entries.end(),
                                   [&](const auto& entry) { return is_for_log(*entry.info, options.words); });
  if (count == 0)
    return misuse("log", fmt::format("no reading has '{}' in its id, title or device; 'idlemeter readings' lists all",
                                     fmt::join(options.words, "' or '")));
  ReadingLog log(options.store, {"", options.note, options.notes.tags, {}, options.notes.settings},
                 log_options(options));
  print("Logging {} readings every {:g} s into {}, as run {}, until Ctrl-C.\n", count, in_seconds(options.every),
        options.store, log.runs().back());
  flush_output();
  catch_termination();
  Trouble trouble;
  const bool is_virtual = !options.values.rig.empty();  // there time passes when it is asked for
  const Moment begin = is_virtual ? snapshot.time() : now();
  Nanoseconds passed{};
  while (!stopped() && (options.length == Nanoseconds{} || passed <= options.length)) {
    log.add(Moment{passed}, snapshot);
    trouble.tell(log);
    snapshot = values.next(in_seconds(options.every));
    passed = (is_virtual ? snapshot.time() : now()) - begin;
  }
  log.finish();
  print("Logged {:.0f} s{}.\n", in_seconds(std::min(passed, options.length == Nanoseconds{} ? passed : options.length)),
        log.lost() == 0 ? "" : fmt::format("; {} samples were lost", log.lost()));
  return log.problem().empty() && log.lost() == 0 ? 0 : 1;
}

Check read_time(Nanoseconds& into, Nanoseconds least, Nanoseconds most) {
  return [&into, least, most](const std::string& text) {
    const auto time = long_duration_from(text, "s");
    if (!time || *time < least || *time > most)
      return fmt::format("'{}' isn't a time that fits; write it like 2s, 90 min or 8h", text);
    into = *time;
    return std::string();
  };
}

/// "gpu.temp=5s"
std::string read_pace(const std::string& text, std::map<std::string, Nanoseconds>& into) {
  const std::size_t equal = text.find('=');
  const auto pace = equal == std::string::npos ? std::nullopt : duration_from(text.substr(equal + 1), "s");
  if (!pace || equal == 0) return fmt::format("'{}' isn't a pace; write it like gpu.temp=5s", text);
  into[text.substr(0, equal)] = *pace;
  return "";
}

}  // namespace

void add_log(Command app) {
  const auto options = std::make_shared<LogArgs>();
  Command command =
      app.add("log", "Log readings for hours or days, without a game", [options] { return log_readings(*options); });
  command.option("WORDS", options->words, "Only readings with one of these words in the id, title or device");
  command.option("--every", read_time(options->every, kSecond / 10, std::chrono::hours(1)),
                 "How often to log, like 2s; by default every half second");
  command
      .option(
          "--pace", [options](const std::string& text) { return read_pace(text, options->pace_of); },
          "Log a reading less often, like gpu.temp=5s; may be repeated")
      .repeats();
  command.option("--for", read_time(options->length, kSecond / 10, std::chrono::hours(24 * 400)),
                 "How long to log, like 8h; by default until Ctrl-C");
  command.flag("--drop-oldest", options->drop_oldest,
               "When the disk is full, delete the oldest part of this log instead of pausing until there is room");
  command.option("--part", read_time(options->part, kSecond, std::chrono::hours(24 * 400)),
                 "With --drop-oldest: the length of each part, which is a run of its own; by default an hour");
  command.option("--note", options->note, "A note");
  add_setting_options(command, options->notes);
  add_value_options(command, options->values);
  command.option("--store", options->store, "The store to add it to, created if it doesn't exist").shows_default();
}

}  // namespace idlemeter::cli
