#include "face/format/place_holders.hpp"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <chrono>
#include <cstdint>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter::face {
namespace {

constexpr const char* kNoValue = "–";

/// Whether every number in it, its width and its precision, is one that a text can have.
bool has_small_numbers(std::string_view format) {
  std::uint64_t number = 0;
  for (char c : format) {
    number = c >= '0' && c <= '9' ? number * 10 + static_cast<std::uint64_t>(c - '0') : 0;
    if (number > limits::kFormatNumber) return false;
  }
  return true;
}

/// Trying a format on a value shows whether it is one.
bool is_format(const std::string& format) {
  if (!has_small_numbers(format) || format.find_first_of("{}") != std::string::npos) return false;
  try {
    if (format.find('%') != std::string::npos) {
      (void)fmt::format(fmt::runtime("{:" + format + "}"), fmt::localtime(std::time_t{0}));
    } else {
      (void)fmt::format(fmt::runtime("{:" + format + "}"), 1.5);
    }
    return true;
  } catch (const fmt::format_error&) {
    return false;
  }
}

std::string filled(const TextPiece& piece, const std::string& id, const Snapshot& values) {
  if (piece.reading.empty()) return piece.text;
  if (piece.format.find('%') != std::string::npos) {
    const std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
    return fmt::format(fmt::runtime("{:" + piece.format + "}"), fmt::localtime(now));
  }
  const Snapshot::Entry entry = values.find(id);
  if (entry.value == nullptr) return kNoValue;
  const auto n = idlemeter::number(*entry.value);
  if (!n || piece.format.empty()) return format_value(*entry.info, *entry.value);
  return fmt::format(fmt::runtime("{:" + piece.format + "}"), *n);
}

/// "gpu.power:.0f", without its braces. Without a reading if something is wrong.
TextPiece place_of(std::string_view place, std::string& problem) {
  const std::size_t colon = std::min(place.find(':'), place.size());
  const std::string format(place.substr(std::min(colon + 1, place.size())));
  if (colon == 0) {
    problem = "a place without a reading; write it like {gpu.power:.0f}";
    return {};
  }
  if (!is_format(format)) {
    problem = has_small_numbers(format)
                  ? fmt::format("'{}' isn't a format; write it like .0f for a number or %H:%M for the time", format)
                  : fmt::format("'{}' is too wide; width and precision go up to {}", format, limits::kFormatNumber);
    return {};
  }
  return {"", std::string(place.substr(0, colon)), format};
}

}  // namespace

std::optional<std::vector<TextPiece>> text_pieces(std::string_view text, std::string& problem) {
  std::vector<TextPiece> pieces;
  std::string literal;
  const auto end_literal = [&] {
    if (!literal.empty()) pieces.push_back({std::exchange(literal, ""), "", ""});
  };
  for (std::size_t i = 0; i < text.size(); ++i) {
    const bool is_brace = text[i] == '{' || text[i] == '}';
    const bool twice = is_brace && i + 1 < text.size() && text[i + 1] == text[i];
    if (!is_brace || twice) {
      literal += text[i];
      i += twice ? 1 : 0;
      continue;
    }
    const std::size_t close = text[i] == '{' ? text.find('}', i) : std::string_view::npos;
    if (close == std::string_view::npos) {
      problem = fmt::format("a '{}' alone; write {{reading}} or {{reading:.1f}}, and a brace itself twice", text[i]);
      return std::nullopt;
    }
    end_literal();
    pieces.push_back(place_of(text.substr(i + 1, close - i - 1), problem));
    if (pieces.back().reading.empty()) return std::nullopt;
    i = close;
  }
  end_literal();
  return pieces;
}

std::string filled(const std::vector<TextPiece>& pieces, const Snapshot& values,
                   const std::function<std::string(const std::string&)>& id_of) {
  std::string text;
  for (const TextPiece& piece : pieces) text += filled(piece, id_of(piece.reading), values);
  return text;
}

}  // namespace idlemeter::face
