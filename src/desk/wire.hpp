// What goes between the page and the desk; web/desk/wire has its schemas.
#pragma once

#include <functional>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "http/http_server.hpp"

namespace idlemeter::desk {

using Json = nlohmann::ordered_json;

[[nodiscard]] http::Answer json_answer(const Json& json, int status = http::kOk);

/// An error as {"error": {"code", "problem", "where", "fix"}}, with a status that fits its code.
[[nodiscard]] http::Server::Handler guarded(std::function<http::Answer(const http::Request&)> handler);

/// The same, for a question whose body is a JSON object.
[[nodiscard]] http::Server::Handler guarded_json(std::function<http::Answer(const Json&)> handler);

/// A parameter of the query. Throws Error (invalid) if it is missing, or if it isn't a whole number in those limits.
[[nodiscard]] std::string text_in(const http::Request& request, const std::string& name);
[[nodiscard]] int number_in(const http::Request& request, const std::string& name, int least, int most);

/// A text in an object. Throws Error (invalid) if it has none of that name.
[[nodiscard]] std::string text_in(const Json& object, const char* name);
/// The same; "" if it has none.
[[nodiscard]] std::string text_or_none(const Json& object, const char* name);
/// A list of texts; empty if it has none. Throws Error (invalid) if it is something else.
[[nodiscard]] std::vector<std::string> texts_in(const Json& object, const char* name);

}  // namespace idlemeter::desk
