#include "idlemeter/runs/recorder.hpp"

#include <fmt/chrono.h>

#include <chrono>
#include <limits>
#include <random>
#include <stdexcept>
#include <unordered_map>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "runs/recording/recording_mark.hpp"
#include "runs/store/pack.hpp"
#include "runs/store/store_state.hpp"

namespace idlemeter {
namespace {

using namespace runs;

constexpr Nanoseconds kCommitEvery =
    kSecond / 2;  // by the clock: with the time to write, well under a second is at stake
constexpr Nanoseconds kLongestLock = kSecond / 10;  // an open transaction keeps other writers waiting
constexpr Nanoseconds kChunkLength = kSecond;       // of play in a row of frame_chunk
constexpr std::size_t kMostFramesInChunk = 100'000;

// What is kept in rows of its own until it is packed.
constexpr std::int64_t kChunksToPack = 60;
constexpr std::size_t kFramesToPack = 200'000, kSamplesToPack = 120;

std::string utc_now() {
  const auto now = std::chrono::floor<std::chrono::seconds>(std::chrono::system_clock::now());
  return fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(std::chrono::system_clock::to_time_t(now)));
}

/// Tells a run from all others, wherever it is copied (RFC 4122, version 4).
std::string new_uuid() {
  std::random_device random;
  const std::uint32_t a = random(), b = random(), c = random(), d = random();
  return fmt::format("{:08x}-{:04x}-4{:03x}-{:04x}-{:04x}{:08x}", a, b >> 16, b & 0xfff, 0x8000 | (c >> 16 & 0x3fff),
                     c & 0xffff, d);
}

/// Frames on their way into a row.
struct Chunk {
  Moment start{};
  Nanoseconds length{};
  std::vector<Nanoseconds> intervals;
  std::vector<Nanoseconds> gpu_work;
  bool any_gpu_work = false;

  [[nodiscard]] bool takes(const FrameRecord& frame) const {
    return intervals.empty() || (frame.at - frame.interval == start + length && length < kChunkLength &&
                                 intervals.size() < kMostFramesInChunk);
  }

  void add(const FrameRecord& frame) {
    if (intervals.empty()) start = frame.at - frame.interval;
    length += frame.interval;
    intervals.push_back(frame.interval);
    gpu_work.push_back(frame.gpu_work);
    any_gpu_work = any_gpu_work || frame.gpu_work != kUnknownTime;
  }

  void clear() {
    intervals.clear();
    gpu_work.clear();
    length = {};
    any_gpu_work = false;
  }
};

/// Rows without a pause between them, as one.
struct OldChunks {
  Chunk whole;
  std::int64_t first = 0, count = 0;  ///< places of their rows

  [[nodiscard]] bool goes_on_with(const Chunk& next) const {
    return count == 0 || next.start == whole.start + whole.length;
  }

  void add(const Chunk& next, std::int64_t place) {
    if (count == 0) first = place;
    if (count++ == 0) whole.start = next.start;
    // A chunk without any GPU time keeps none.
    if (next.gpu_work.empty()) whole.gpu_work.resize(whole.intervals.size() + next.intervals.size(), kUnknownTime);
    whole.gpu_work.insert(whole.gpu_work.end(), next.gpu_work.begin(), next.gpu_work.end());
    whole.intervals.insert(whole.intervals.end(), next.intervals.begin(), next.intervals.end());
    whole.length += next.length;
    whole.any_gpu_work = whole.any_gpu_work || next.any_gpu_work;
  }
};

}  // namespace

struct Recorder::State {
  State(Store& where, Clock with)
      : store(where),
        clock(std::move(with)),
        database(where.state_->database),
        insert_chunk(database, "INSERT INTO frame_chunk VALUES (?, ?, ?, ?, ?, ?, ?, ?)"),
        insert_reading(database, "INSERT INTO run_reading VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"),
        insert_sample(database, "INSERT INTO sample VALUES (?, ?, ?, ?)"),
        insert_text(database, "INSERT INTO sample_text VALUES (?, ?, ?, ?)") {}

  Store& store;
  Clock clock;
  runs::Database& database;
  runs::Statement insert_chunk, insert_reading, insert_sample, insert_text;
  std::int64_t run = 0;
  bool in_transaction = false;
  bool packs_only = false;  ///< within another's transaction: a crash keeps nothing, so that rows are packed at once
  bool finished = false;
  std::uint64_t refused = 0;
  Moment committed{};  // by the clock
  Chunk chunk;
  OldChunks old_chunks;
  RunSamples old_samples;
  std::int64_t chunks = 0;
  std::int64_t samples = 0;
  Moment last_sample{};
  std::unordered_map<std::string, std::size_t> places;  // of readings in the run
  std::unordered_map<std::size_t, std::string> texts;   // last text of each, so that only changes are written
  std::vector<double> numbers;

  void expect_open() const {
    if (finished) throw Error(Error::Code::misuse, "a recorder takes nothing after finish()");
  }

  void begin() {
    if (belongs_to_another() || in_transaction) return;
    database.begin();
    in_transaction = true;
  }

  /// The caller that began a transaction also commits it; the recorder doesn't.
  [[nodiscard]] bool belongs_to_another() const { return !in_transaction && database.in_transaction(); }

  void commit() {
    if (in_transaction) database.run("COMMIT");
    in_transaction = false;
    committed = clock();
  }

  void commit_if_due() {
    if (packs_only) return;
    const Moment due = committed + (in_transaction ? kLongestLock : kCommitEvery);
    if (clock() < due) return;
    write_chunk();
    commit();
  }

  void insert_run(const RunDetails& details);
  void keep(const RunDetails& details);
  void write_chunk();
  void pack_chunks();
  void pack_samples();
  void keep_for_packing(Moment at);
  std::size_t place_of(const ReadingInfo& info);
  void take(Moment at, std::size_t place, const Value& value);
};

void Recorder::State::insert_run(const RunDetails& details) {
  begin();
  runs::Statement(database, "INSERT INTO run (game, started, note, uuid, recorder) VALUES (?, ?, ?, ?, ?)")
      .bind(details.game, utc_now(), details.note.substr(0, limits::kNoteBytes), new_uuid(), this_recorder())
      .run();
  run = database.last_row();
  keep(details);
  commit();
}

void Recorder::State::keep(const RunDetails& details) {
  for (const std::string& tag : details.tags)
    runs::Statement(database, "INSERT OR IGNORE INTO run_tag VALUES (?, ?)").bind(run, tag).run();
  runs::Statement fact(database, "INSERT OR REPLACE INTO run_fact VALUES (?, ?, ?, ?)");
  for (const auto& [name, value] : details.facts) fact.bind(run, kFactOfMachine, name, value).run();
  for (const auto& [name, value] : details.settings) fact.bind(run, kSetting, name, value).run();
}

void Recorder::State::write_chunk() {
  if (chunk.intervals.empty()) return;
  begin();
  const auto frames = static_cast<std::int64_t>(chunk.intervals.size());
  if (!chunk.any_gpu_work) chunk.gpu_work.clear();
  if (!packs_only)
    insert_chunk.bind(run, chunks, chunk.start, frames, chunk.length, chunk.intervals, chunk.gpu_work, std::int64_t{0})
        .run();
  ++chunks;
  if (!old_chunks.goes_on_with(chunk)) pack_chunks();
  old_chunks.add(chunk, chunks - 1);
  chunk.clear();
  if (old_chunks.count >= kChunksToPack || old_chunks.whole.intervals.size() >= kFramesToPack) pack_chunks();
}

/// Instead of the rows that they were kept in so far. What is packed has a checksum.
void Recorder::State::pack_chunks() {
  if (old_chunks.count > 0) {
    begin();
    const Chunk& all = old_chunks.whole;
    if (!packs_only)
      runs::Statement(database, "DELETE FROM frame_chunk WHERE run = ? AND place >= ? AND place < ?")
          .bind(run, old_chunks.first, old_chunks.first + old_chunks.count)
          .run();
    const std::string work = all.any_gpu_work ? pack(all.gpu_work) : "";
    insert_chunk
        .bind(run, old_chunks.first, all.start, static_cast<std::int64_t>(all.intervals.size()), all.length,
              Blob{pack(all.intervals)}, Blob{work}, std::int64_t{1})
        .run();
  }
  old_chunks = {};
}

void Recorder::State::pack_samples() {
  if (old_samples.at.empty()) return;
  begin();
  const auto count = static_cast<std::int64_t>(old_samples.at.size());
  if (!packs_only)
    runs::Statement(database, "DELETE FROM sample WHERE run = ? AND place >= ?").bind(run, samples - count).run();
  runs::Statement(database, "INSERT INTO sample_block VALUES (?, ?, ?, ?, ?)")
      .bind(run, samples - count, count, static_cast<std::int64_t>(old_samples.columns.size()), Blob{pack(old_samples)})
      .run();
  old_samples = {};
}

/// A sample that has its row already; readings that came later are missing in those before.
void Recorder::State::keep_for_packing(Moment at) {
  old_samples.columns.resize(std::max(old_samples.columns.size(), numbers.size()));
  for (std::size_t i = 0; i < old_samples.columns.size(); ++i) {
    old_samples.columns[i].resize(old_samples.at.size(), std::numeric_limits<double>::quiet_NaN());
    old_samples.columns[i].push_back(i < numbers.size() ? numbers[i] : std::numeric_limits<double>::quiet_NaN());
  }
  old_samples.at.push_back(at);
  if (old_samples.at.size() >= kSamplesToPack) pack_samples();
}

std::size_t Recorder::State::place_of(const ReadingInfo& info) {
  const auto [entry, is_new] = places.try_emplace(info.id, places.size());
  if (is_new) {
    insert_reading
        .bind(run, static_cast<std::int64_t>(entry->second), info.id, info.title, info.brief, info.device,
              std::string(name_of(info.kind)), std::string(symbol(info.unit)), std::int64_t{info.digits},
              std::int64_t{info.text}, info.source, info.alias)
        .run();
  }
  return entry->second;
}

void Recorder::State::take(Moment at, std::size_t place, const Value& value) {
  if (const auto* text = std::get_if<std::string>(&value)) {
    std::string& last = texts[place];
    if (last != *text) insert_text.bind(run, static_cast<std::int64_t>(place), at, *text).run();
    last = *text;
  } else if (const auto n = number(value)) {
    numbers.resize(std::max(numbers.size(), place + 1), std::numeric_limits<double>::quiet_NaN());
    numbers[place] = *n;
  }
}

Recorder::Recorder(Store& store, const RunDetails& details, Clock clock)
    : state_(std::make_unique<State>(store, clock ? std::move(clock) : Clock(monotonic_now))) {
  state_->packs_only = state_->belongs_to_another();
  state_->insert_run(details);
}

Recorder::~Recorder() {
  try {
    if (!state_->finished) flush();
  } catch (const Error&) {
    // Nobody is left to report to; what was committed before is kept.
  }
}

void Recorder::add(const FrameRecord& frame) {
  state_->expect_open();
  const bool possible = frame.at >= kEarliestMoment && frame.at <= kLatestMoment && frame.interval >= Nanoseconds{1} &&
                        frame.interval <= kLongestTime;
  if (!possible) {
    ++state_->refused;
    return;
  }
  if (!state_->chunk.takes(frame)) state_->write_chunk();
  state_->chunk.add(frame);
  state_->commit_if_due();
}

void Recorder::add(std::span<const FrameRecord> frames) {
  for (const FrameRecord& frame : frames) add(frame);
}

void Recorder::add(Moment at, const Snapshot& snapshot) {
  State& s = *state_;
  s.expect_open();
  s.begin();
  s.numbers.assign(s.places.size(), std::numeric_limits<double>::quiet_NaN());
  for (const Snapshot::Entry& entry : snapshot.entries()) s.take(at, s.place_of(*entry.info), *entry.value);
  if (!s.packs_only) s.insert_sample.bind(s.run, s.samples, at, s.numbers).run();
  ++s.samples;
  s.last_sample = at;
  s.keep_for_packing(at);
  s.commit_if_due();
}

void Recorder::add(const RunDetails& more) {
  State& s = *state_;
  s.expect_open();
  s.begin();
  s.keep(more);
  if (!more.note.empty())
    runs::Statement(s.database,
                    "UPDATE run SET note = CASE note WHEN '' THEN ?1 ELSE note || char(10) || ?1 END "
                    "WHERE id = ?2 AND length(CAST(note AS BLOB)) + length(CAST(?1 AS BLOB)) < ?3")
        .bind(more.note, s.run, static_cast<std::int64_t>(limits::kNoteBytes))
        .run();
  s.commit_if_due();
}

void Recorder::flush() {
  state_->write_chunk();
  state_->commit();
}

std::uint64_t Recorder::refused() const { return state_->refused; }

std::int64_t Recorder::finish(RunEnd end, std::uint64_t lost) {
  state_->expect_open();
  state_->write_chunk();
  state_->pack_chunks();
  state_->pack_samples();
  state_->begin();
  runs::Statement(state_->database,
                  "UPDATE run SET finished = 1, ended = ?1, lost = ?2, recorder = '', "
                  "frames = (SELECT CAST(total(frames) AS INTEGER) FROM frame_chunk WHERE run = ?3), "
                  "length_ns = coalesce((SELECT CAST(sum(length_ns) AS INTEGER) FROM frame_chunk WHERE run = "
                  "?3), ?4) WHERE id = ?3")
      .bind(std::string(name_of(end)), static_cast<std::int64_t>(lost), state_->run,
            std::max<std::int64_t>(0, state_->last_sample.time_since_epoch().count()))
      .run();
  state_->commit();
  state_->finished = true;
  return state_->run;
}

std::int64_t Recorder::id() const { return state_->run; }

}  // namespace idlemeter
