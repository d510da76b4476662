#include "idlemeter/runs/reading_log.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <optional>

#include "idlemeter/base/error.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"
#include "runs/store/store_state.hpp"

namespace idlemeter {
namespace {

constexpr std::size_t kReserve = 4 * 1024 * 1024;  // bytes beside the store: deleting takes room before it makes any

/// The readings that are wanted and due, in one batch.
class Selection {
 public:
  explicit Selection(const LogOptions& options) : options_(options) {}

  Snapshot of(Moment at, const Snapshot& snapshot) {
    const auto entries = snapshot.entries();
    if (!fits(entries)) choose(entries);
    std::vector<Value> values;
    values.reserve(chosen_.size());
    for (const std::size_t i : chosen_)
      values.push_back(is_due(entries[i].info->id, at) ? *entries[i].value : Missing{});
    return {at, {std::make_shared<const Batch>(Batch{list_, std::move(values), at})}};
  }

 private:
  /// Whether the readings are those of the last time.
  bool fits(const std::vector<Snapshot::Entry>& entries) const {
    return std::equal(entries.begin(), entries.end(), infos_.begin(), infos_.end(),
                      [](const Snapshot::Entry& entry, const std::string& id) { return entry.info->id == id; });
  }

  void choose(const std::vector<Snapshot::Entry>& entries) {
    infos_.clear();
    chosen_.clear();
    std::vector<ReadingInfo> list;
    for (std::size_t i = 0; i < entries.size(); ++i) {
      infos_.push_back(entries[i].info->id);
      if (options_.wants && !options_.wants(*entries[i].info)) continue;
      chosen_.push_back(i);
      list.push_back(*entries[i].info);
    }
    list_ = std::make_shared<const ReadingList>(std::move(list));
  }

  bool is_due(const std::string& id, Moment at) {
    const auto pace = options_.paces.find(id);
    if (pace == options_.paces.end()) return true;
    const auto [next, is_new] = next_.try_emplace(id, at);
    if (at < next->second) return false;
    next->second = std::max(next->second + pace->second, at);
    return true;
  }

  const LogOptions& options_;
  std::vector<std::string> infos_;   // ids of all readings of the last snapshot
  std::vector<std::size_t> chosen_;  // their places
  std::shared_ptr<const ReadingList> list_ = std::make_shared<const ReadingList>(std::vector<ReadingInfo>());
  std::map<std::string, Moment> next_;
};

}  // namespace

struct ReadingLog::State {
  State(std::filesystem::path file, RunDetails its, LogOptions how, Clock with)
      : path(std::move(file)),
        details(std::move(its)),
        options(std::move(how)),
        clock(std::move(with)),
        selection(options) {
    const bool is_tagged = std::find(details.tags.begin(), details.tags.end(), "log") != details.tags.end();
    if (!is_tagged) details.tags.emplace_back("log");
  }

  void begin(Moment at) {
    if (!store) store.emplace(path);
    recorder.emplace(*store, details, clock);
    runs.push_back(recorder->id());
    part_began = at;
    keep_reserve();
  }

  void write(Moment at, const Snapshot& snapshot) {
    const bool is_next_part = recorder && options.part > Nanoseconds{} && at - part_began >= options.part;
    if (is_next_part) {
      recorder->finish(RunEnd::time);
      recorder.reset();
    }
    if (!recorder) begin(at);
    recorder->add(Moment{at - part_began}, selection.of(Moment{at - part_began}, snapshot));
  }

  bool try_to_write(Moment at, const Snapshot& snapshot) {
    try {
      write(at, snapshot);
      why.clear();
    } catch (const Error& error) {
      recorder.reset();
      store.reset();
      if (error.code() == Error::Code::moved) throw;  // whatever is there now isn't this log's store
      why = error.what();
      retry_at = at + options.retry;
    }
    return why.empty();
  }

  /// Deletes the oldest part for good. False if there is none but the newest.
  bool drop_oldest() {
    if (!options.drop_oldest || runs.size() < 2) return false;
    std::error_code ignored;
    std::filesystem::remove(reserve(), ignored);
    try {
      Store cleaned(path);
      runs::Statement(cleaned.state_->database, "DELETE FROM run WHERE id = ?").bind(runs.front()).run();
      runs.erase(runs.begin());
      return true;
    } catch (const Error&) {
      return false;  // the next try may do better
    }
  }

  [[nodiscard]] std::filesystem::path reserve() const { return path.string() + "-reserve"; }

  void keep_reserve() const {
    std::error_code unknown;
    if (!options.drop_oldest || std::filesystem::file_size(reserve(), unknown) == kReserve) return;
    std::ofstream(reserve(), std::ios::binary) << std::string(kReserve, '\0');
  }

  std::filesystem::path path;
  RunDetails details;
  LogOptions options;
  Clock clock;
  Selection selection;
  std::optional<Store> store;
  std::optional<Recorder> recorder;  // of the newest part
  std::vector<std::int64_t> runs;
  Moment part_began{};
  std::string why;
  Moment retry_at{};
  std::uint64_t lost = 0;
};

ReadingLog::ReadingLog(std::filesystem::path store, RunDetails details, LogOptions options, Clock clock)
    : state_(std::make_unique<State>(std::move(store), std::move(details), std::move(options), std::move(clock))) {
  state_->begin({});
}

ReadingLog::~ReadingLog() {
  std::error_code ignored;
  if (state_->options.drop_oldest) std::filesystem::remove(state_->reserve(), ignored);
}

void ReadingLog::add(Moment at, const Snapshot& snapshot) {
  State& s = *state_;
  if (!s.why.empty() && at < s.retry_at) {
    ++s.lost;
    return;
  }
  if (!s.try_to_write(at, snapshot) && !(s.drop_oldest() && s.try_to_write(at, snapshot))) ++s.lost;
}

void ReadingLog::finish() {
  if (state_->recorder) state_->recorder->finish();
  state_->recorder.reset();
}

const std::string& ReadingLog::problem() const { return state_->why; }
const std::vector<std::int64_t>& ReadingLog::runs() const { return state_->runs; }
std::uint64_t ReadingLog::lost() const { return state_->lost; }

}  // namespace idlemeter
