// Which runs of a store are copies of others, and how a copy is continued.
#pragma once

#include <cstdint>
#include <optional>
#include <set>
#include <string>

#include "runs/store/sqlite.hpp"

namespace idlemeter::runs {

/// How much of a run there is.
struct Extent {
  bool finished = false;
  std::int64_t frames = 0, samples = 0;
  bool operator==(const Extent&) const = default;

  [[nodiscard]] bool is_beyond(const Extent& other) const {
    return frames >= other.frames && samples >= other.samples && *this != other;
  }
};

/// Of a run in the database `schema`: "main", or "other" of one that is attached.
[[nodiscard]] Extent extent_of(Database& database, const char* schema, std::int64_t run);

/// Copies all rows of a run of `schema` to the run `to` of the store: notes, frames, readings.
void copy_rows(Database& database, const char* schema, std::int64_t from, std::int64_t to);

/// Replaces what was recorded of the run `here` by that of the run `from`, which has more of it. Number, tags, settings
/// and note of `here` stay.
void continue_run(Database& database, const char* schema, std::int64_t from, std::int64_t here);

/// Finds the copy of each run that is added, each only once: two runs with the same mark are two runs still.
class Copies {
 public:
  explicit Copies(Database& database) : database_(database) {}

  struct Copy {
    std::int64_t id = 0;
    bool is_shorter = false;  ///< and nobody records it: it may be continued
  };

  /// The run of the store that is the same as one elsewhere of that extent.
  [[nodiscard]] std::optional<Copy> find(const std::string& uuid, const std::string& started, const Extent& there);

  /// A run that was made just now is a copy of no other.
  void add(std::int64_t made) { found_.insert(made); }

 private:
  Database& database_;
  std::set<std::int64_t> found_;
};

}  // namespace idlemeter::runs
