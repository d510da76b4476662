// Tables and run files that other programs and people hand in.
#include <cstdlib>
#include <optional>

#include "doors.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/runs/frame_log.hpp"
#include "idlemeter/runs/reading_table.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::fuzz {
namespace {

/// A store in memory; what is only tried on the way goes there too.
class InMemory {
 public:
  InMemory() : store_((::setenv("TMPDIR", scratch_.path().c_str(), 1), scratch_.path() / "a.db")) {}

  Store& store() { return store_; }

 private:
  Scratch scratch_;
  Store store_;
};

std::vector<std::int64_t> ids_in(const Store& store) {
  std::vector<std::int64_t> ids;
  for (const RunInfo& run : store.runs()) ids.push_back(run.id);
  return ids;
}

/// The same bytes as a table of readings.
void reading_table(std::string_view bytes) {
  Bytes input(bytes);
  ReadingTableFormat format;
  const std::size_t choice = input.take<std::uint8_t>();
  constexpr const char* kNames[] = {"", "1", "time", "a"};
  format.time.name = kNames[choice % std::size(kNames)];
  if (choice % 5 == 4) format.every = Nanoseconds(std::int64_t{1} << choice % 62);
  try {
    const ReadingTable table =
        parse_reading_table(bytes.substr(std::min<std::size_t>(4, bytes.size())), "table", format);
    require(!table.series.empty() && table.broken <= table.lines && table.length <= kLongestTime);
    for (const RunSeries& one : table.series) {
      require(!one.at.empty() && one.at.size() == one.values.size() && std::is_sorted(one.at.begin(), one.at.end()));
      require(one.at.front() >= Moment{} && one.at.back() <= Moment{table.length});
    }
  } catch (const Error&) {
  }
}

}  // namespace

void frame_log(std::string_view bytes) {
  reading_table(bytes);
  constexpr const char* kNames[] = {"", "", "1", "2", "frame time", "time", "a"};
  constexpr std::optional<LogUnit> kUnits[] = {std::nullopt, LogUnit::nanosecond, LogUnit::millisecond, LogUnit::second,
                                               LogUnit::frames_per_second};
  Bytes input(bytes);
  FrameLogFormat format;
  for (LogColumn* column : {&format.frame_time, &format.time, &format.gpu_work, &format.split}) {
    const std::size_t choice = input.take<std::uint8_t>();
    column->name = kNames[choice % std::size(kNames)];
    column->unit = kUnits[choice / std::size(kNames) % std::size(kUnits)];
  }
  if (format.time.unit == LogUnit::frames_per_second) format.time.unit.reset();
  try {
    const FrameLog log = parse_frame_log(bytes.substr(std::min<std::size_t>(4, bytes.size())), "log", format);
    require(!log.runs.empty() && log.broken <= log.lines && log.first_broken.size() <= log.broken);
    std::size_t frames = 0;
    for (const LoggedFrames& run : log.runs) {
      Moment last = kEarliestMoment;
      for (const FrameRecord& frame : run.frames) {
        require(frame.interval > Nanoseconds{} && frame.interval <= kLongestTime);
        require(frame.at >= last && frame.at <= kLatestMoment);
        require(frame.gpu_work == kUnknownTime || frame.gpu_work > Nanoseconds{});
        last = frame.at;
        ++frames;
      }
      require(!run.frames.empty());
    }
    require(frames + log.broken <= log.lines);
  } catch (const Error&) {
  }
}

void run_file(std::string_view bytes) {
  // A store takes far longer to make than a file to read.
  static std::optional<InMemory> here;
  if (!here) here.emplace();
  try {
    (void)add_run_file(here->store(), bytes, "runs.json");
  } catch (const Error&) {
    require(here->store().runs().empty());
    return;
  }
  const auto ids = ids_in(here->store());
  const std::string written = idlemeter::run_file(here->store(), ids);
  here.reset();
  InMemory there;
  require(add_run_file(there.store(), written, "again").runs.size() == ids.size());
  require(idlemeter::run_file(there.store(), ids_in(there.store())) == written);
}

}  // namespace idlemeter::fuzz
