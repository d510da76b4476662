#include "idlemeter/frames/span.hpp"

#include <fmt/format.h>

#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter {

std::optional<Span> span_from(std::string_view text) {
  if (text == "recording") return Span{Span::Kind::recording, {}};
  if (text == "cleared") return Span{Span::Kind::cleared, {}};
  const auto length = duration_from(text);
  const bool seconds = text.ends_with('s') && !text.ends_with("ms");
  if (!length || !seconds || *length < kSecond / 10 || *length > 3600 * kSecond) return std::nullopt;
  return Span{Span::Kind::last, *length};
}

std::string to_string(const Span& span) {
  if (span.kind == Span::Kind::recording) return "recording";
  if (span.kind == Span::Kind::cleared) return "cleared";
  return fmt::format("{}s", in_seconds(span.length));
}

}  // namespace idlemeter
