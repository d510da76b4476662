#include "output.hpp"

#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"

namespace idlemeter::cli {
namespace {

[[noreturn]] void fail() {
  const int why = errno;
  if (why == EPIPE) throw ReaderGone();
  throw Error(std::string("cannot write the output: ") + std::strerror(why));
}

}  // namespace

void write_raw(std::string_view text) {
  if (std::fwrite(text.data(), 1, text.size(), stdout) != text.size()) fail();
}

void write_text(std::string_view text) { write_raw(printable(text, "\n\t")); }

void write_message(std::string_view text) {
  const std::string shown = printable(text, "\n\t");
  (void)!std::fwrite(shown.data(), 1, shown.size(), stderr);
}

void write_progress(std::string_view line) {
  const std::string text = line.empty() ? "\n" : "\r" + printable(line) + "\x1b[K";
  (void)!::write(2, text.data(), text.size());
}

void flush_output() {
  if (std::fflush(stdout) != 0 || std::ferror(stdout) != 0) fail();
}

std::string json_text(std::string json) {
  std::string result;
  result.reserve(json.size());
  for (std::size_t i = 0; i < json.size(); ++i) {
    const auto byte = static_cast<unsigned char>(json[i]);
    const bool c1 = byte == 0xC2 && i + 1 < json.size() && static_cast<unsigned char>(json[i + 1]) < 0xA0;
    if (byte == 0x7F) {
      result += "\\u007f";
    } else if (c1) {
      result += fmt::format("\\u{:04x}", static_cast<unsigned char>(json[++i]));
    } else {
      result += json[i];
    }
  }
  return result;
}

}  // namespace idlemeter::cli
