#include "idlemeter/runs/store.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <bit>
#include <cctype>
#include <cmath>
#include <cstdlib>
#include <deque>
#include <fstream>
#include <future>
#include <limits>
#include <thread>
#include <unordered_map>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/run.hpp"
#include "runs/store/pack.hpp"
#include "runs/store/store_file.hpp"
#include "runs/store/store_state.hpp"

namespace idlemeter {
namespace {

using namespace runs;

namespace fs = std::filesystem;

static_assert(std::endian::native == std::endian::little, "blobs hold little-endian numbers");

/// Reads rows of runs. Totals that aren't kept with a run are added up.
class RunReader {
 public:
  // total() takes any number, where sum() gives up on a damaged one. It is exact up to a hundred days.
  explicit RunReader(runs::Database& database)
      : frames_(database, "SELECT total(frames), total(length_ns) FROM frame_chunk WHERE run = ?"),
        last_sample_(database, "SELECT max(at_ns) FROM sample WHERE run = ?") {}

  /// The columns of the row that read() takes.
  static std::string columns(std::int64_t version) {
    return fmt::format("id, game, started, note, finished, {}",
                       version < 3 ? "'', 0, NULL, NULL, NULL" : "ended, lost, frames, length_ns, uuid");
  }

  /// Runs that weren't removed, or those that were.
  static std::string which(std::int64_t version, Store::Which which) {
    const bool kept = which == Store::Which::kept;
    if (version < 3) return kept ? "1" : "0";
    return kept ? "removed = ''" : "removed <> ''";
  }

  RunInfo read(const runs::Statement& row) {
    RunInfo info;
    info.id = row.integer(0);
    info.started = row.text(2);
    info.finished = row.integer(4) != 0;
    info.details = {row.text(1), row.text(3), {}, {}, {}};
    info.end = run_end_from(row.text(5));
    info.lost = static_cast<std::uint64_t>(std::max<std::int64_t>(0, row.integer(6)));
    if (!row.is_null(7) && !row.is_null(8)) {
      info.frames = static_cast<std::uint64_t>(within(row.real(7)));
      info.length = Nanoseconds(within(row.real(8)));
    } else if (frames_.bind(info.id).step()) {
      info.frames = static_cast<std::uint64_t>(within(frames_.real(0)));
      info.length = Nanoseconds(within(frames_.real(1)));
      if (info.frames == 0 && last_sample_.bind(info.id).step())
        info.length = Nanoseconds(within(last_sample_.real(0)));
    }
    info.uuid = row.text(9);
    if (info.uuid.empty())  // as it will be when the store is migrated, or the run copied
      info.uuid = fmt::format("old {} {} {} {}", info.started, info.details.game, info.frames, info.length.count());
    return info;
  }

 private:
  static std::int64_t within(double sum) {
    return sum >= 0 && sum <= static_cast<double>(kLongestTime.count()) ? static_cast<std::int64_t>(sum) : 0;
  }

  runs::Statement frames_, last_sample_;
};

/// Tags, settings and, if wanted, facts of all runs at once, or of one.
void add_notes(runs::Database& database, std::vector<RunInfo>& all, bool facts, const std::string& file,
               const std::string& where = "1") {
  std::unordered_map<std::int64_t, RunInfo*> by_id;
  for (RunInfo& run : all) by_id.emplace(run.id, &run);
  std::size_t rows = 0;
  const auto find = [&](std::int64_t id) {
    if (++rows > limits::kNotesOfStore)
      throw Error(Error::Code::unreadable,
                  fmt::format("its runs have more than {} tags, facts and settings", limits::kNotesOfStore), file);
    const auto found = by_id.find(id);
    return found == by_id.end() ? nullptr : found->second;
  };
  runs::Statement tags(database, fmt::format("SELECT run, tag FROM run_tag WHERE {} ORDER BY run, tag", where));
  while (tags.step()) {
    if (RunInfo* run = find(tags.integer(0))) run->details.tags.push_back(tags.text(1));
  }
  runs::Statement pairs(database, fmt::format("SELECT run, kind, name, value FROM run_fact WHERE {} {}", where,
                                              facts ? "" : fmt::format("AND kind = {}", kSetting)));
  while (pairs.step()) {
    RunInfo* const run = find(pairs.integer(0));
    if (run == nullptr) continue;
    auto& into = pairs.integer(1) == kSetting ? run->details.settings : run->details.facts;
    into.emplace(pairs.text(2), pairs.text(3));
  }
}

bool is_possible(Moment at) { return at >= kEarliestMoment && at <= kLatestMoment; }
bool is_possible(Nanoseconds length) { return length >= Nanoseconds{1} && length <= kLongestTime; }

/// "1 to 40, 42, 50 to 52"; of many only the first and the last.
std::string words_of(const std::vector<std::int64_t>& ids) {
  constexpr std::size_t kMost = 6;
  std::vector<std::string> parts;
  for (std::size_t first = 0; first < ids.size();) {
    std::size_t last = first;
    while (last + 1 < ids.size() && ids[last + 1] == ids[last] + 1) ++last;
    if (last == first) parts.push_back(fmt::format("{}", ids[first]));
    if (last == first + 1) parts.push_back(fmt::format("{}, {}", ids[first], ids[last]));
    if (last > first + 1) parts.push_back(fmt::format("{} to {}", ids[first], ids[last]));
    first = last + 1;
  }
  if (parts.size() <= kMost) return fmt::format("{}", fmt::join(parts, ", "));
  return fmt::format("{} runs from {} to {}", ids.size(), ids.front(), ids.back());
}

constexpr double kNoValue = std::numeric_limits<double>::quiet_NaN();

/// Of the columns start_ns, intervals_ns, gpu_work_ns, frames, packed.
std::vector<Nanoseconds> lengths_of(const runs::Statement& chunk, int column, const fs::path& file, RunBudget& budget) {
  if (chunk.integer(4) == 0) return chunk.blob<Nanoseconds>(column);
  const auto packed = chunk.blob<char>(column);
  if (packed.empty()) return {};
  const auto frames = static_cast<std::size_t>(std::max<std::int64_t>(0, chunk.integer(3)));
  budget.take(frames, packed.size());
  return unpack({packed.data(), packed.size()}, frames, file.string());
}

void drop_impossible(RunSamples& samples) {
  if (std::all_of(samples.at.begin(), samples.at.end(), [](Moment at) { return is_possible(at); })) return;
  for (std::vector<double>& column : samples.columns) {
    std::size_t i = 0;
    std::erase_if(column, [&](double) { return !is_possible(samples.at[i++]); });
  }
  std::erase_if(samples.at, [](Moment at) { return !is_possible(at); });
}

std::size_t count_in(const runs::Statement& row, int column) {
  return static_cast<std::size_t>(std::max<std::int64_t>(0, row.integer(column)));
}

/// Blocks are unpacked beside each other, and given in their order.
void read_blocks(runs::Database& database, std::int64_t run, const std::string& file,
                 const std::function<void(const RunSamples&)>& take) {
  constexpr std::size_t kMostNumbers = std::size_t{1} << 22;  // 32 MiB
  const std::size_t most = 2 * std::clamp<std::size_t>(std::thread::hardware_concurrency(), 1, 8);
  std::deque<std::pair<std::future<RunSamples>, std::size_t>> ahead;
  std::size_t numbers = 0;  // in those
  RunBudget budget = RunBudget::of_values(file);
  const auto give = [&] {
    const RunSamples samples = ahead.front().first.get();
    numbers -= ahead.front().second;
    ahead.pop_front();
    take(samples);
  };
  runs::Statement blocks(database, "SELECT samples, readings, packed FROM sample_block WHERE run = ? ORDER BY place");
  for (blocks.bind(run); blocks.step();) {
    const std::size_t samples = count_in(blocks, 0), readings = count_in(blocks, 1);
    // A damaged row may say anything; what it can't be is found when it is unpacked.
    const std::size_t size = std::min(samples, kMostNumbers) * std::min(readings + 1, kMostNumbers);
    budget.take(size, blocks.blob<char>(2).size());
    while (!ahead.empty() && (ahead.size() >= most || numbers + size > kMostNumbers)) give();
    numbers += size;
    const auto unpacked = [&file, packed = blocks.blob<char>(2), samples, readings] {
      RunSamples block = unpack({packed.data(), packed.size()}, samples, readings, file);
      drop_impossible(block);
      return block;
    };
    ahead.emplace_back(std::async(std::launch::async, unpacked), size);
  }
  while (!ahead.empty()) give();
}

/// What isn't in blocks yet.
void read_rows(runs::Database& database, std::int64_t run, const std::function<void(const RunSamples&)>& take) {
  constexpr std::size_t kMost = 1'000;
  RunSamples samples;
  runs::Statement rows(database, "SELECT at_ns, numbers FROM sample WHERE run = ? ORDER BY place");
  for (rows.bind(run); rows.step();) {
    if (!is_possible(rows.moment(0))) continue;
    const auto numbers = rows.blob<double>(1);
    samples.columns.resize(std::max(samples.columns.size(), numbers.size()),
                           std::vector<double>(samples.at.size(), kNoValue));
    samples.at.push_back(rows.moment(0));
    for (std::size_t i = 0; i < samples.columns.size(); ++i)
      samples.columns[i].push_back(i < numbers.size() ? numbers[i] : kNoValue);
    if (samples.at.size() < kMost) continue;
    take(samples);
    samples = {};
  }
  if (!samples.at.empty()) take(samples);
}

DeviceKind kind_from(std::string_view name) {
  for (int i = 0; i <= static_cast<int>(DeviceKind::own); ++i) {
    if (name_of(static_cast<DeviceKind>(i)) == name) return static_cast<DeviceKind>(i);
  }
  return DeviceKind::own;
}

}  // namespace

Store::State::State(const fs::path& file, Mode mode, const LockWait& wait)
    : path(file), opened(open_store(file, mode, wait)), database(*opened) {
  // FULL: a commit is on the disk when it returns, so that a power cut loses no more than a crash does.
  database.run("PRAGMA synchronous = FULL");
  version = database.number("PRAGMA user_version");
}

Store::Store(const fs::path& path, Mode mode, const LockWait& wait)
    : state_(std::make_unique<State>(path, mode, wait)) {}
Store::Store(Store&&) noexcept = default;
Store& Store::operator=(Store&&) noexcept = default;
Store::~Store() = default;

fs::path Store::usual_path() { return user_folder("XDG_DATA_HOME", ".local/share") / "runs.db"; }

const fs::path& Store::path() const { return state_->path; }

std::vector<RunInfo> Store::runs(Facts facts, Which which) const {
  const std::int64_t version = state_->version;
  std::vector<RunInfo> runs;
  runs::Statement rows(state_->database, fmt::format("SELECT {} FROM run WHERE {} ORDER BY id",
                                                     RunReader::columns(version), RunReader::which(version, which)));
  RunReader reader(state_->database);
  while (rows.step()) {
    if (runs.size() >= limits::kRunsOfStore)
      throw Error(Error::Code::unreadable, fmt::format("has more than {} runs", limits::kRunsOfStore), path().string(),
                  "copy those that you need into a store of their own");
    try {
      runs.push_back(reader.read(rows));
    } catch (const Error& error) {
      RunInfo damaged;
      damaged.id = rows.integer(0);
      damaged.problem = error.what();
      runs.push_back(std::move(damaged));
    }
  }
  add_notes(state_->database, runs, facts == Facts::all, path().string());
  return runs;
}

RunInfo Store::run(std::int64_t id) const {
  const std::int64_t version = state_->version;
  runs::Statement row(state_->database,
                      fmt::format("SELECT {} FROM run WHERE id = ? AND {}", RunReader::columns(version),
                                  RunReader::which(version, Which::kept)));
  if (row.bind(id).step()) {
    std::vector<RunInfo> one = {RunReader(state_->database).read(row)};
    add_notes(state_->database, one, true, path().string(), fmt::format("run = {}", id));
    return one.front();
  }
  std::vector<std::int64_t> ids;
  for (const Which which : {Which::removed, Which::kept}) {
    runs::Statement all(state_->database,
                        fmt::format("SELECT id FROM run WHERE {} ORDER BY id", RunReader::which(version, which)));
    for (ids.clear(); all.step();) ids.push_back(all.integer(0));
    if (which == Which::removed && std::find(ids.begin(), ids.end(), id) != ids.end())
      throw Error(Error::Code::not_found, fmt::format("run {} was removed", id), path().string(), "restore it",
                  Error::Hint::restore_run);
  }
  throw Error(Error::Code::not_found, fmt::format("there is no run {}", id), path().string(),
              ids.empty() ? "the store has no runs yet" : "the store has " + words_of(ids),
              ids.empty() ? Error::Hint::none : Error::Hint::list_runs);
}

std::vector<FrameRecord> Store::frames(std::int64_t id) const {
  std::vector<FrameRecord> frames;
  constexpr double kMostExpected = limits::kFramesOfRun;  // a damaged row may say anything
  runs::Statement count(state_->database, "SELECT total(frames) FROM frame_chunk WHERE run = ?");
  if (count.bind(id).step()) frames.reserve(static_cast<std::size_t>(std::clamp(count.real(0), 0.0, kMostExpected)));
  runs::Statement chunks(
      state_->database, fmt::format("SELECT start_ns, intervals_ns, gpu_work_ns, frames, {} FROM frame_chunk WHERE run "
                                    "= ? ORDER BY place",
                                    state_->version < 2 ? "0" : "packed"));
  Moment at{};
  RunBudget budget = RunBudget::of_frames(path().string());
  for (chunks.bind(id); chunks.step();) {
    if (is_possible(chunks.moment(0))) at = chunks.moment(0);  // a damaged one goes on where the chunk before ended
    const auto intervals = lengths_of(chunks, 1, path(), budget);
    const auto work = lengths_of(chunks, 2, path(), budget);
    for (std::size_t i = 0; i < intervals.size(); ++i) {
      if (!is_possible(intervals[i]) || !is_possible(at + intervals[i])) continue;
      at += intervals[i];
      frames.push_back({at, intervals[i], i < work.size() && is_possible(work[i]) ? work[i] : kUnknownTime});
    }
  }
  return frames;
}

std::vector<Nanoseconds> Store::intervals(std::int64_t id) const {
  std::vector<Nanoseconds> all;
  runs::Statement chunks(
      state_->database,
      fmt::format("SELECT 0, intervals_ns, 0, frames, {} FROM frame_chunk WHERE run = ? ORDER BY place",
                  state_->version < 2 ? "0" : "packed"));
  RunBudget budget = RunBudget::of_frames(path().string());
  for (chunks.bind(id); chunks.step();) {
    const auto part = lengths_of(chunks, 1, path(), budget);
    all.insert(all.end(), part.begin(), part.end());
  }
  return all;
}

std::vector<ReadingInfo> Store::readings(std::int64_t id) const {
  std::vector<ReadingInfo> all;
  runs::Statement readings(state_->database,
                           fmt::format("SELECT id, title, brief, device, kind, unit, digits, text, source, {} FROM "
                                       "run_reading WHERE run = ? ORDER BY place",
                                       state_->version < 2 ? "''" : "alias"));
  for (readings.bind(id); readings.step();) {
    if (all.size() >= limits::kReadingsOfRun)
      throw Error(Error::Code::damaged, fmt::format("run {} has more than {} readings", id, limits::kReadingsOfRun),
                  path().string());
    all.push_back({readings.text(0), readings.text(1), readings.text(2), readings.text(3), kind_from(readings.text(4)),
                   unit_from(readings.text(5)).value_or(Unit::none), readings.text(8),
                   static_cast<int>(readings.integer(6)), readings.integer(7) != 0, readings.text(9)});
  }
  return all;
}

void Store::read_samples(std::int64_t id, const std::function<void(const RunSamples&)>& take) const {
  if (state_->version >= 2) read_blocks(state_->database, id, path().string(), take);
  read_rows(state_->database, id, take);
}

namespace {

void append_column(RunSeries& series, const RunSamples& samples, std::size_t column) {
  series.at.insert(series.at.end(), samples.at.begin(), samples.at.end());
  for (std::size_t row = 0; row < samples.at.size(); ++row) {
    const double value = column < samples.columns.size() ? samples.columns[column][row] : kNoValue;
    series.values.push_back(std::isfinite(value) ? Value(value) : Value(Missing{"missing when it was recorded"}));
  }
}

}  // namespace

std::vector<RunSeries> Store::series(std::int64_t id, const std::function<bool(const ReadingInfo&)>& wants) const {
  std::vector<RunSeries> series;
  std::vector<std::size_t> columns;           // of each
  std::map<std::size_t, std::size_t> places;  // of columns in `series`
  bool has_numbers = false;
  const std::vector<ReadingInfo> all = readings(id);
  for (std::size_t column = 0; column < all.size(); ++column) {
    if (wants && !wants(all[column])) continue;
    places.emplace(column, series.size());
    has_numbers = has_numbers || !all[column].text;
    series.push_back({all[column], {}, {}});
    columns.push_back(column);
  }
  if (has_numbers) {
    read_samples(id, [&](const RunSamples& samples) {
      for (std::size_t i = 0; i < series.size(); ++i) {
        if (!series[i].info.text) append_column(series[i], samples, columns[i]);
      }
    });
  }
  runs::Statement rows(state_->database,
                       "SELECT reading, at_ns, text FROM sample_text WHERE run = ? ORDER BY reading, at_ns");
  for (rows.bind(id); rows.step();) {
    const auto found = places.find(static_cast<std::size_t>(rows.integer(0)));
    if (found == places.end() || !is_possible(rows.moment(1))) continue;
    series[found->second].at.push_back(rows.moment(1));
    series[found->second].values.emplace_back(rows.text(2));
  }
  return series;
}

}  // namespace idlemeter
