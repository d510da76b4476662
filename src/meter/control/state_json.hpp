// A meter's state as JSON.
#pragma once

#include <nlohmann/json.hpp>
#include <optional>
#include <string>

#include "idlemeter/meter/command.hpp"

namespace idlemeter::meter {

using nlohmann::json;

/// The value of the key, if it is there.
template <typename T>
[[nodiscard]] std::optional<T> optional_of(const json& object, const char* key) {
  return object.contains(key) ? std::optional(object[key].get<T>()) : std::nullopt;
}

/// Sets the key, unless the value is missing or an empty text.
template <typename T>
void put(json& object, const char* key, const std::optional<T>& value) {
  if (value) object[key] = *value;
}
inline void put_text(json& object, const char* key, const std::string& text) {
  if (!text.empty()) object[key] = text;
}

/// On one line; bytes that aren't UTF-8 are replaced.
[[nodiscard]] inline std::string text_of(const json& object) {
  return object.dump(-1, ' ', false, json::error_handler_t::replace);
}

/// Sets the keys of the state; games without frame times have none.
void put_state(json& object, const MeterState& state);

/// Empty if the object has no state. Throws json::exception if a value has another type.
[[nodiscard]] std::optional<MeterState> state_from(const json& object);

}  // namespace idlemeter::meter
