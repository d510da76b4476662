// Who may use the desk: the browser of the user who started it, and only its own page there.
#pragma once

#include <deque>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>

#include "http/http_server.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter::desk {

/// Any thread.
class Door {
 public:
  Door();

  void set_port(int port) { port_ = port; }

  /// "/3f…": a path that nobody can guess. The whole desk is below it.
  [[nodiscard]] const std::string& root() const { return root_; }

  /// A login code: valid once, for ten minutes; the newest eight are kept.
  [[nodiscard]] std::string new_code();

  /// Why a request isn't answered. "/" with a code is let in: see enter().
  [[nodiscard]] std::optional<http::Answer> refusal(const http::Request& request) const;

  /// With a right code the cookie, and on to the page; with a used one or a wrong one a few words.
  [[nodiscard]] http::Answer enter(const http::Request& request, const std::string& code);

 private:
  struct Code {
    std::string text;
    Moment until;
  };

  [[nodiscard]] bool has_cookie(const http::Request& request) const;
  [[nodiscard]] bool names_desk(const http::Request& request) const;
  [[nodiscard]] bool is_foreign(const http::Request& request) const;
  bool take(const std::string& code);

  [[nodiscard]] std::string cookie() const;

  int port_ = 0;
  std::string root_, secret_;
  std::mutex mutex_;
  std::deque<Code> codes_;
};

/// So many random bytes as hexadecimal digits. Throws Error if the system has none.
[[nodiscard]] std::string random_word(std::size_t bytes);

}  // namespace idlemeter::desk
