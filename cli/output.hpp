// What the command writes: the one way to the terminal.
#pragma once

#include <fmt/format.h>

#include <exception>
#include <string>
#include <string_view>

namespace idlemeter::cli {

/// The reader of the output is gone, as with `… | head`: nothing more is to be written, and nothing said.
class ReaderGone : public std::exception {
 public:
  [[nodiscard]] const char* what() const noexcept override { return "the output's reader is gone"; }
};

/// Writes text to the standard output, with what could steer a terminal made visible: names, labels and outputs come
/// from anybody. Lines and tabs stay. Throws Error if it can't be written (a full disk), ReaderGone if the pipe is
/// closed.
void write_text(std::string_view text);

/// Writes it as it is: JSON, CSV and pictures of characters, which see to that themselves.
void write_raw(std::string_view text);

/// Writes a message to the standard error, as write_text() does; what can't be written there is lost.
void write_message(std::string_view text);

/// On a terminal: writes a line to the standard error over the one before; an empty one ends them.
void write_progress(std::string_view line);

/// Hands over what was written. Call before the end: only then is it known whether it could be written.
void flush_output();

template <typename... Arguments>
void print(fmt::format_string<Arguments...> format, Arguments&&... arguments) {
  write_text(fmt::format(format, std::forward<Arguments>(arguments)...));
}

template <typename... Arguments>
void complain(fmt::format_string<Arguments...> format, Arguments&&... arguments) {
  write_message(fmt::format(format, std::forward<Arguments>(arguments)...));
}

}  // namespace idlemeter::cli
