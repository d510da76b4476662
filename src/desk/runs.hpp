// The store's runs: listed, changed, removed, added.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "desk/wire.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::desk {

/// Any thread. Everything throws Error.
class Runs {
 public:
  explicit Runs(std::filesystem::path store) : store_(std::move(store)) {}

  [[nodiscard]] const std::filesystem::path& file() const { return store_; }

  /// Opens the store. Throws Error (not_found) if its file doesn't exist.
  [[nodiscard]] Store open() const { return Store(store_, Store::Mode::existing); }

  /// Some of the runs that pass a filter, in an order, and what there is to filter by.
  [[nodiscard]] Json list(const http::Request& request) const;

  /// The number of the newest run; 0 if the store is empty or can't be read.
  [[nodiscard]] std::int64_t newest() const;

  /// What a list shows of these runs beside what it has: average, lows, time lost to stutters, doubts.
  [[nodiscard]] Json figures(const std::string& runs) const;

  /// Changes game, note, tags or settings of runs; removes runs, or brings them back.
  void change(const Json& question) const;
  void remove(const Json& question) const;
  void restore(const Json& question) const;

  /// Adds a store, a run file or a frame log. Of a log the guess of its columns comes first: it is added if the
  /// question says that it is right.
  [[nodiscard]] Json add(const http::Request& request) const;

 private:
  Store::Added filled(const std::function<Store::Added(Store&)>& fill) const;

  std::filesystem::path store_;
};

/// What figures mean.
[[nodiscard]] Json definitions_json();

/// The doubts about a run, each with what to do about it.
[[nodiscard]] Json doubts_json(const RunInsight& run);

}  // namespace idlemeter::desk
