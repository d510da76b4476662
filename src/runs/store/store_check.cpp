// What is wrong with a store: every row is read and compared with what the others say.
#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "runs/run_time.hpp"
#include "runs/store/store_rows.hpp"
#include "runs/store/store_state.hpp"

namespace idlemeter {
namespace {

using namespace runs;

/// What a run's rows add up to.
struct Sums {
  std::int64_t frames = 0;
  Nanoseconds length{}, last_sample{};
};

Error damaged(const std::string& problem) { return Error(Error::Code::damaged, problem); }

void check_chunks(Database& database, std::int64_t run, const std::string& file, Sums& sums) {
  RunBudget budget = RunBudget::of_frames(file);
  Statement rows(database, fmt::format("SELECT {} FROM frame_chunk WHERE run = ? ORDER BY place", kChunkColumns));
  for (rows.bind(run); rows.step();) {
    const FrameChunk chunk = read_chunk(rows, file, budget);
    sums.frames += static_cast<std::int64_t>(chunk.intervals.size());
    sums.length += std::accumulate(chunk.intervals.begin(), chunk.intervals.end(), Nanoseconds{});
  }
}

void check_samples(Database& database, std::int64_t run, std::size_t readings, const std::string& file, Sums& sums) {
  Moment last = kEarliestMoment;
  const auto take = [&](const RunSamples& samples) {
    if (samples.columns.size() > readings) throw damaged("its samples have more values than there are readings");
    for (const Moment at : samples.at) {
      if (at < last || at > kLatestMoment) throw damaged("its samples aren't in order of time");
      last = at;
    }
    sums.last_sample = last.time_since_epoch();
  };
  RunBudget budget = RunBudget::of_values(file);
  Statement blocks(database, fmt::format("SELECT {} FROM sample_block WHERE run = ? ORDER BY place", kBlockColumns));
  for (blocks.bind(run); blocks.step();) take(read_block(blocks, file, budget));
  Statement rows(database, fmt::format("SELECT {} FROM sample WHERE run = ? ORDER BY place", kSampleColumns));
  for (rows.bind(run); rows.step();) take(read_sample(rows, file));
}

void check_texts(Database& database, std::int64_t run, std::size_t readings) {
  Statement texts(database, "SELECT DISTINCT reading FROM sample_text WHERE run = ?");
  for (texts.bind(run); texts.step();) {
    const std::int64_t reading = texts.integer(0);
    if (reading < 0 || static_cast<std::size_t>(reading) >= readings)
      throw damaged("it has texts of a reading that it doesn't have");
  }
}

void check_readings(Database& database, std::int64_t run) {
  Statement rows(database, "SELECT place, unit, kind FROM run_reading WHERE run = ? ORDER BY place");
  std::int64_t place = 0;
  for (rows.bind(run); rows.step(); ++place) {
    if (rows.integer(0) != place) throw damaged(fmt::format("reading {} is missing", place + 1));
    if (!rows.text(1).empty() && !unit_from(rows.text(1))) throw damaged("a reading has an unknown unit");
    const auto has_kind = [&](DeviceKind kind) { return name_of(kind) == rows.text(2); };
    if (std::none_of(std::begin(kDeviceKinds), std::end(kDeviceKinds), has_kind))
      throw damaged("a reading has an unknown kind of device");
  }
}

void check_run(Database& database, const RunInfo& run, const std::vector<ReadingInfo>& readings,
               const std::string& file) {
  if (!is_run_time(run.started)) throw damaged("its date isn't a time like 2026-03-01T20:15:00Z");
  Sums sums;
  check_chunks(database, run.id, file, sums);
  check_samples(database, run.id, readings.size(), file, sums);
  check_readings(database, run.id);
  check_texts(database, run.id, readings.size());
  if (!run.finished) return;
  if (static_cast<std::uint64_t>(sums.frames) != run.frames)
    throw damaged(fmt::format("{} of {} frames can be read", sums.frames, run.frames));
  const Nanoseconds length = sums.frames > 0 ? sums.length : std::max(Nanoseconds{}, sums.last_sample);
  if (length != run.length)
    throw damaged(
        fmt::format("it should be {:.3f} s long, and is {:.3f} s", in_seconds(run.length), in_seconds(length)));
}

}  // namespace

std::vector<std::string> Store::check() const {
  std::vector<std::string> problems;
  const auto without = [this](const std::string& text) {  // the file's name, which every problem would repeat
    const std::string name = path().string() + ": ";
    return text.starts_with(name) ? text.substr(name.size()) : text;
  };
  Statement integrity(state_->database, "PRAGMA integrity_check(20)");
  while (integrity.step()) {
    if (const std::string text = integrity.text(0); text != "ok") problems.push_back("the file: " + text);
  }
  Statement orphans(state_->database, "SELECT DISTINCT \"table\", parent FROM pragma_foreign_key_check LIMIT 20");
  while (orphans.step())
    problems.push_back(fmt::format("the file: '{}' has rows of runs that are gone", orphans.text(0)));
  for (const RunInfo& run : runs()) {
    try {
      if (!run.problem.empty()) throw Error(Error::Code::damaged, run.problem);
      check_run(state_->database, run, readings(run.id), path().string());
    } catch (const std::exception& error) {
      problems.push_back(fmt::format("run {}: {}", run.id, without(error.what())));
    }
  }
  return problems;
}

}  // namespace idlemeter
