// How values become JSON.
#pragma once

#include <nlohmann/json.hpp>
#include <optional>
#include <string>

#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/ranges.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter::json {

using Json = nlohmann::ordered_json;

/// Over several lines, or in one with an indent of -1. What could steer a terminal is escaped; bytes that aren't UTF-8
/// are replaced.
inline std::string text_of(const Json& json, int indent = 2) {
  return escaped_json(json.dump(indent, ' ', false, Json::error_handler_t::replace));
}

inline Json or_null(const auto& value, auto scale) { return value ? Json(*value * scale) : Json(); }
inline Json or_null(const auto& value) { return value ? Json(*value) : Json(); }

/// A reading and its value, see readings_json().
[[nodiscard]] Json to_json(const Snapshot::Entry& entry, const Ranges& ranges);

inline double seconds_of(Moment at) { return in_seconds(at.time_since_epoch()); }

}  // namespace idlemeter::json
