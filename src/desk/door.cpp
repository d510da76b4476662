#include "desk/door.hpp"

#include <fmt/format.h>
#include <sys/random.h>

#include <algorithm>
#include <array>

#include "idlemeter/base/error.hpp"

namespace idlemeter::desk {
namespace {

using http::Answer;
using http::Method;
using http::Request;

constexpr std::size_t kSecretBytes = 32, kPathBytes = 16, kMostCodes = 8;
constexpr Nanoseconds kCodeLasts = 600 * kSecond;

Answer words(int status, std::string text) { return {status, std::move(text) + "\n"}; }

}  // namespace

std::string random_word(std::size_t bytes) {
  std::array<unsigned char, 64> random{};
  if (::getrandom(random.data(), random.size(), 0) != static_cast<ssize_t>(random.size()))
    throw Error(Error::Code::failed, "the system has no random numbers");
  std::string word;
  for (std::size_t i = 0; i < std::min(bytes, random.size()); ++i) word += fmt::format("{:02x}", random[i]);
  return word;
}

Door::Door() : root_("/" + random_word(kPathBytes)), secret_(random_word(kSecretBytes)) {}

/// Browsers send a cookie to every port of a host: the name keeps two desks apart, and the path keeps it from servers
/// that don't know it (RFC 6265, 8.5 and 5.1.4).
std::string Door::cookie() const { return fmt::format("idlemeter-desk-{}=", port_); }

std::string Door::new_code() {
  const std::lock_guard lock(mutex_);
  codes_.push_back({random_word(kSecretBytes), monotonic_now() + kCodeLasts});
  if (codes_.size() > kMostCodes) codes_.pop_front();
  return codes_.back().text;
}

bool Door::take(const std::string& code) {
  const std::lock_guard lock(mutex_);
  std::erase_if(codes_, [](const Code& one) { return one.until < monotonic_now(); });
  const auto found =
      std::find_if(codes_.begin(), codes_.end(), [&](const Code& one) { return http::are_equal(one.text, code); });
  if (found == codes_.end()) return false;
  codes_.erase(found);
  return true;
}

/// A redirect keeps the origin of the page that led here, whose browser sends no strict cookie: that one gets a page.
Answer Door::enter(const Request& request, const std::string& code) {
  if (!take(code)) return words(http::kForbidden, "This address has been used, or it is old: open the desk again.");
  const bool is_led_here = request.header("Sec-Fetch-Site") == "cross-site";
  return {
      is_led_here ? http::kOk : http::kSeeOther,
      is_led_here ? R"(<!doctype html><title>Idle Meter</title><meta http-equiv="refresh" content="0; url=./">)" : "",
      is_led_here ? "text/html; charset=utf-8" : "text/plain",
      {{"Location", root_ + "/"},
       {"Set-Cookie", fmt::format("{}{}; Path={}/; HttpOnly; SameSite=Strict", cookie(), secret_, root_)}}};
}

bool Door::has_cookie(const Request& request) const {
  const std::string all = request.header("Cookie"), name = cookie();
  for (std::size_t at = 0; at < all.size();) {
    const std::size_t end = std::min(all.find(';', at), all.size());
    std::string_view one = std::string_view(all).substr(at, end - at);
    while (one.starts_with(' ')) one.remove_prefix(1);
    if (one.starts_with(name) && http::are_equal(one.substr(name.size()), secret_)) return true;
    at = end + 1;
  }
  return false;
}

/// False for a name that somebody else gave this machine.
bool Door::names_desk(const Request& request) const {
  const std::string host = request.header("Host");
  return host == fmt::format("127.0.0.1:{}", port_) || host == fmt::format("localhost:{}", port_);
}

/// True for another page's request.
bool Door::is_foreign(const Request& request) const {
  const std::string host = request.header("Host"), origin = request.header("Origin");
  if (!origin.empty() && origin != "http://" + host) return true;
  const std::string from = request.header("Sec-Fetch-Site");
  const bool is_post = request.method() == Method::post;
  if (is_post && origin.empty()) return true;  // every browser says whence a form or a script sends something
  return !from.empty() && from != "same-origin" && (from != "none" || is_post);
}

std::optional<Answer> Door::refusal(const Request& request) const {
  const bool enters = request.method() == Method::get && request.path() == "/" && request.parameter("code");
  if (!names_desk(request) || (!enters && is_foreign(request)))
    return words(http::kForbidden, "Only the desk's own page is answered here.");
  if (!request.is_from_this_user()) return words(http::kForbidden, "The desk belongs to another user of this machine.");
  if (enters) return std::nullopt;
  if (has_cookie(request)) return std::nullopt;
  return words(http::kUnauthorized, "This browser isn't signed in: open the address that the desk prints.");
}

}  // namespace idlemeter::desk
