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
  throw Error(Error::Code::unwritable, std::string("cannot write the output: ") + std::strerror(why));
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

}  // namespace idlemeter::cli
