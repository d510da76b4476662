// Results that were worked out of a run, kept beside it in its store so that a question is answered once.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::runs {

class Statement;

/// Bytes by run and question. A result is found again only while its run is what it was, and by the same definition.
/// Nothing here throws for what is in the store: a result that can't be read or written is worked out again.
class KeptResults {
 public:
  /// `question`: what the results answer; `definition`: the version of how they are worked out.
  KeptResults(const Store& store, std::string question, std::int64_t definition);
  KeptResults(const KeptResults&) = delete;
  KeptResults& operator=(const KeptResults&) = delete;

  /// Writes what is still waiting.
  ~KeptResults();

  [[nodiscard]] std::optional<std::string> find(const RunInfo& run);

  /// Takes a result to keep; it is written with some others at once. A run that isn't finished is left out.
  void keep(const RunInfo& run, const std::string& result);

 private:
  struct Waiting {
    RunInfo run;
    std::string packed;
  };

  void write();

  const Store& store_;
  std::string question_;
  std::int64_t definition_;
  bool reads_, writes_;
  std::vector<Waiting> waiting_;
  std::unique_ptr<Statement> row_;  // that find() reads
};

}  // namespace idlemeter::runs
