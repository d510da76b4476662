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

constexpr std::string_view kCookie = "idlemeter-desk=";
constexpr std::size_t kSecretBytes = 32, kMostCodes = 8;
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

Door::Door() : secret_(random_word(kSecretBytes)) {}

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

Answer Door::enter(const std::string& code) {
  if (!take(code)) return words(http::kForbidden, "This address has been used, or it is old: open the desk again.");
  return {
      http::kSeeOther,
      "",
      "text/plain",
      {{"Location", "/"}, {"Set-Cookie", fmt::format("{}{}; Path=/; HttpOnly; SameSite=Strict", kCookie, secret_)}}};
}

bool Door::has_cookie(const Request& request) const {
  const std::string all = request.header("Cookie");
  for (std::size_t at = 0; at < all.size();) {
    const std::size_t end = std::min(all.find(';', at), all.size());
    std::string_view one = std::string_view(all).substr(at, end - at);
    while (one.starts_with(' ')) one.remove_prefix(1);
    if (one.starts_with(kCookie) && http::are_equal(one.substr(kCookie.size()), secret_)) return true;
    at = end + 1;
  }
  return false;
}

/// Another page's question, or one under a name that somebody else gave this machine.
bool Door::is_foreign(const Request& request) const {
  const std::string host = request.header("Host"), origin = request.header("Origin");
  if (host != fmt::format("127.0.0.1:{}", port_) && host != fmt::format("localhost:{}", port_)) return true;
  if (!origin.empty() && origin != "http://" + host) return true;
  const std::string from = request.header("Sec-Fetch-Site");
  const bool is_post = request.method() == Method::post;
  if (is_post && origin.empty()) return true;  // every browser says whence a form or a script sends something
  return !from.empty() && from != "same-origin" && (from != "none" || is_post);
}

std::optional<Answer> Door::refusal(const Request& request) const {
  if (is_foreign(request)) return words(http::kForbidden, "Only the desk's own page is answered here.");
  if (request.method() == Method::get && request.path() == "/" && request.parameter("code")) return std::nullopt;
  if (has_cookie(request)) return std::nullopt;
  return words(http::kUnauthorized, "This browser doesn't know the desk yet: open it by the address that it prints.");
}

}  // namespace idlemeter::desk
