#include <system_error>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "runs/store/new_store.hpp"
#include "runs/store/store_state.hpp"
#include "runs/store/transaction.hpp"

namespace idlemeter {

using namespace runs;

Store::Added add_runs(Store& into, const std::filesystem::path& from, std::span<const std::int64_t> runs) {
  std::error_code unknown;
  if (std::filesystem::equivalent(from, into.path(), unknown))
    throw Error(Error::Code::invalid, "this is the store that runs are added to", from.string(), "name another");
  if (kind_of_file(from) != FileKind::run_file) return into.add(Store(from, Store::Mode::existing), runs);
  if (!runs.empty())
    throw Error(Error::Code::invalid, "only runs of a store have numbers, and this is a file of runs", from.string(),
                "add all of them");
  return add_run_file(into, from);
}

Store::Added copy_runs(const Store& from, const std::filesystem::path& to, std::span<const std::int64_t> runs,
                       ShareOptions share) {
  for (const std::int64_t id : runs) (void)from.run(id);
  Store::Added added;
  make_store(to, [&](const std::filesystem::path& file) {
    Store made(file);
    added = made.add(from, runs);
    if (!share.arguments) made.change(added.runs, {.facts_to_drop = {std::string(kArgumentsFact)}});
  });
  return added;
}

Store::Added add_frame_log(Store& into, const FrameLog& log, const RunDetails& details) {
  return into.add_log(log, details);
}

Store::Added Store::add_log(const FrameLog& log, const RunDetails& details) {
  Transaction transaction(state_->database);
  Added added;
  for (const LoggedFrames& run : log.runs) {
    RunDetails its = details;
    if (log.runs.size() > 1) its.settings[log.format.split.name] = run.name;
    Recorder recorder(*this, its, [] { return Moment{}; });
    recorder.add(run.frames);
    added.runs.push_back(recorder.finish());
  }
  transaction.commit();
  return added;
}

}  // namespace idlemeter
