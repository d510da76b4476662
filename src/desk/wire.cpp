#include "desk/wire.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "idlemeter/base/error.hpp"

namespace idlemeter::desk {
namespace {

int status_of(Error::Code code) {
  switch (code) {
    case Error::Code::invalid:
      return http::kBadRequest;
    case Error::Code::not_found:
      return http::kNotFound;
    case Error::Code::exists:
    case Error::Code::refused:
    case Error::Code::in_use:
    case Error::Code::moved:
      return http::kConflict;
    case Error::Code::unavailable:
      return http::kUnavailable;
    default:
      return http::kFailed;
  }
}

http::Answer error_answer(const Error& error) {
  return json_answer({{"error",
                       {{"code", name_of(error.code())},
                        {"problem", error.problem()},
                        {"where", error.where()},
                        {"fix", error.fix()}}}},
                     status_of(error.code()));
}

}  // namespace

http::Answer json_answer(const Json& json, int status) {
  return {status, json.dump(-1, ' ', false, Json::error_handler_t::replace), "application/json"};
}

http::Server::Handler guarded(std::function<http::Answer(const http::Request&)> handler) {
  return [handler = std::move(handler)](const http::Request& request) {
    try {
      return handler(request);
    } catch (const Error& error) {
      return error_answer(error);
    } catch (const std::exception& error) {
      return error_answer(Error(Error::Code::failed, error.what()));
    }
  };
}

http::Server::Handler guarded_json(std::function<http::Answer(const Json&)> handler) {
  return guarded([handler = std::move(handler)](const http::Request& request) {
    if (!request.header("Content-Type").starts_with("application/json"))
      throw Error(Error::Code::invalid, "a question with a body is JSON");
    const Json body = Json::parse(request.body(), nullptr, false);
    if (!body.is_object()) throw Error(Error::Code::invalid, "the question isn't a JSON object");
    return handler(body);
  });
}

std::string text_in(const http::Request& request, const std::string& name) {
  const auto text = request.parameter(name);
  if (!text) throw Error(Error::Code::invalid, fmt::format("the question has no '{}'", name));
  return *text;
}

int number_in(const http::Request& request, const std::string& name, int least, int most) {
  const std::string text = text_in(request, name);
  int number = 0;
  const auto read = std::from_chars(text.data(), text.data() + text.size(), number);
  if (read.ec != std::errc() || read.ptr != text.data() + text.size() || number < least || number > most)
    throw Error(Error::Code::invalid, fmt::format("'{}' is a number from {} to {}", name, least, most));
  return number;
}

std::string text_in(const Json& object, const char* name) {
  const auto found = object.find(name);
  if (found == object.end() || !found->is_string())
    throw Error(Error::Code::invalid, fmt::format("the question has no text '{}'", name));
  return *found;
}

std::string text_or_none(const Json& object, const char* name) {
  return object.contains(name) ? text_in(object, name) : std::string();
}

std::vector<std::string> texts_in(const Json& object, const char* name) {
  const Json list = object.value(name, Json::array());
  const auto is_text = [](const Json& one) { return one.is_string(); };
  if (!list.is_array() || !std::all_of(list.begin(), list.end(), is_text))
    throw Error(Error::Code::invalid, fmt::format("'{}' is a list of texts", name));
  return list.get<std::vector<std::string>>();
}

}  // namespace idlemeter::desk
