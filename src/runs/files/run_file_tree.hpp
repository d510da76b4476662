// A run file read as a stream: one run at a time as a tree, with long arrays of numbers kept as numbers.
#pragma once

#include <cstdint>
#include <functional>
#include <istream>
#include <map>
#include <string>
#include <variant>
#include <vector>

namespace idlemeter::runs {

/// A JSON value. Arrays whose elements are all whole numbers or null, or all numbers or null, take eight bytes for
/// each.
struct JsonNode {
  using Object = std::map<std::string, JsonNode>;
  struct Integers {
    std::vector<std::int64_t> values;
    static constexpr std::int64_t kNull = INT64_MIN;
  };
  struct Numbers {
    std::vector<double> values;  ///< NaN for null
  };
  using Array = std::vector<JsonNode>;

  std::variant<std::monostate, bool, std::int64_t, double, std::string, Object, Array, Integers, Numbers> value;

  [[nodiscard]] const JsonNode* find(const std::string& name) const;
};

/// Of the form that is written, and the newest that can be read.
inline constexpr std::int64_t kFileVersion = 1;

/// Called with each run in its turn, from 0; what it throws comes out of read_run_file().
using TakeRun = std::function<void(const JsonNode& run, std::size_t place)>;

/// Reads `{"format":"idle-meter-runs","version":1,"runs":[…]}`. O(bytes) in memory for the longest run. Throws Error
/// naming `where` if it isn't that, if it nests deeper than a run file does or has more parts, or is made by a newer
/// version.
void read_run_file(std::istream& in, const std::string& where, const TakeRun& take);

}  // namespace idlemeter::runs
