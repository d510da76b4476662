#include "runs/store/kept_results.hpp"

#include "idlemeter/base/error.hpp"
#include "runs/store/pack.hpp"
#include "runs/store/store_state.hpp"
#include "runs/store/transaction.hpp"

namespace idlemeter::runs {
namespace {

constexpr std::int64_t kSinceVersion = 5;
constexpr std::size_t kAtOnce = 100;  // results that a transaction writes

std::string end_of(const RunInfo& run) { return run.end ? std::string(name_of(*run.end)) : ""; }

}  // namespace

KeptResults::~KeptResults() { write(); }

KeptResults::KeptResults(const Store& store, std::string question, std::int64_t definition)
    : store_(store), question_(std::move(question)), definition_(definition) {
  reads_ = store.state_->version >= kSinceVersion;
  writes_ = reads_ && store.state_->database.is_writable();
}

std::optional<std::string> KeptResults::find(const RunInfo& run) {
  if (!reads_ || !run.finished) return std::nullopt;
  try {
    if (row_ == nullptr) {
      row_ = std::make_unique<Statement>(
          store_.state_->database,
          "SELECT result FROM run_result WHERE run = ? AND question = ? AND definition = ? AND frames = ? AND "
          "length_ns = ? AND lost = ? AND ended = ?");
    }
    Statement& row = *row_;
    row.bind(run.id, question_, definition_, static_cast<std::int64_t>(run.frames), run.length,
             static_cast<std::int64_t>(run.lost), end_of(run));
    if (!row.step()) return std::nullopt;
    const auto packed = row.blob<char>(0);
    return unpack_bytes({packed.data(), packed.size()});
  } catch (const Error&) {
    return std::nullopt;  // a damaged one hides no other
  }
}

void KeptResults::keep(const RunInfo& run, const std::string& result) {
  if (!writes_ || !run.finished) return;
  waiting_.push_back({run, pack_bytes(result)});
  if (waiting_.size() >= kAtOnce) write();
}

void KeptResults::write() {
  if (waiting_.empty() || !writes_) return;
  row_.reset();  // a statement that still reads keeps others from writing
  try {
    Database& database = store_.state_->database;
    Transaction transaction(database);
    Statement insert(database,
                     "INSERT OR REPLACE INTO run_result (run, question, definition, frames, length_ns, lost, ended, "
                     "result) SELECT id, ?, ?, ?, ?, ?, ?, ? FROM run WHERE id = ?");
    for (const Waiting& one : waiting_)
      insert
          .bind(question_, definition_, static_cast<std::int64_t>(one.run.frames), one.run.length,
                static_cast<std::int64_t>(one.run.lost), end_of(one.run), Blob{one.packed}, one.run.id)
          .run();
    transaction.commit();
  } catch (const Error&) {
    writes_ = false;  // a full disk, a store that was moved or stays locked: the results are here all the same
  }
  waiting_.clear();
}

}  // namespace idlemeter::runs
