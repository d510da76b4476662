#include "idlemeter/base/text.hpp"

#include <utf8proc.h>

#include <charconv>
#include <cstdint>
#include <sstream>

namespace idlemeter {
namespace {

constexpr std::string_view kReplacement = "\xEF\xBF\xBD";

/// The bytes of the character at the start of the text, 0 if they aren't valid UTF-8 (RFC 3629), and its code point.
std::size_t first_character(std::string_view text, std::int32_t& code) {
  const auto size = ::utf8proc_iterate(reinterpret_cast<const utf8proc_uint8_t*>(text.data()),
                                       static_cast<utf8proc_ssize_t>(text.size()), &code);
  return size > 0 ? static_cast<std::size_t>(size) : 0;
}

bool is_control(std::int32_t code) {
  const bool turns_direction = (code >= 0x202A && code <= 0x202E) || (code >= 0x2066 && code <= 0x2069);
  return code < 0x20 || (code >= 0x7F && code < 0xA0) || code == 0x2028 || code == 0x2029 || turns_direction;
}

/// What a spreadsheet would take for a formula, also after white space, which it may drop.
bool is_formula(std::string_view text) {
  text.remove_prefix(std::min(text.find_first_not_of(" \t\r\n"), text.size()));
  double number = 0;
  const char* const end = text.data() + text.size();
  return !text.empty() && std::string_view("=+-@").find(text.front()) != std::string_view::npos &&
         std::from_chars(text.data(), end, number).ptr != end;
}

}  // namespace

std::string lower_case(std::string_view text) {
  std::string lower(text);
  for (char& c : lower) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  return lower;
}

std::string printable(std::string_view text, std::string_view keep) {
  // Most texts are plain ASCII.
  if (std::all_of(text.begin(), text.end(), [](char c) { return c >= ' ' && c <= '~'; })) return std::string(text);
  std::string result;
  result.reserve(text.size());
  while (!text.empty()) {
    const auto plain = static_cast<std::size_t>(
        std::find_if_not(text.begin(), text.end(), [](char c) { return c >= ' ' && c <= '~'; }) - text.begin());
    result += text.substr(0, plain);
    text.remove_prefix(plain);
    if (text.empty()) break;
    std::int32_t code = 0;
    const std::size_t size = first_character(text, code);
    const bool kept = size == 1 && keep.find(text[0]) != std::string_view::npos;
    const bool shown = size > 0 && (kept || !is_control(code));
    result += shown ? text.substr(0, size) : kReplacement;
    text.remove_prefix(std::max<std::size_t>(size, 1));
  }
  return result;
}

std::string escaped_json(std::string_view json) {
  std::string result;
  result.reserve(json.size());
  while (!json.empty()) {
    const auto plain = static_cast<std::size_t>(
        std::find_if_not(json.begin(), json.end(), [](char c) { return c <= '~' && c >= 0; }) - json.begin());
    result += json.substr(0, plain);
    json.remove_prefix(plain);
    if (json.empty()) break;
    std::int32_t code = 0xFFFD;
    const std::size_t size = std::max<std::size_t>(first_character(json, code), 1);
    constexpr std::string_view kDigits = "0123456789abcdef";
    if (is_control(code)) {
      result += "\\u";
      for (const int shift : {12, 8, 4, 0}) result += kDigits[code >> shift & 15];
    } else {
      result += json.substr(0, size);
    }
    json.remove_prefix(size);
  }
  return result;
}

std::string cut_to(std::string text, std::size_t most) {
  if (text.size() <= most || characters(text) <= most) return text;
  std::size_t end = 0;
  for (std::size_t kept = 0; end < text.size(); ++end) {
    if (!continues_character(text[end]) && ++kept == most) break;
  }
  text.resize(end);
  return text + "…";
}

std::size_t columns(std::string_view text) {
  std::size_t all = 0;
  while (!text.empty()) {
    std::int32_t code = 0;
    const std::size_t size = first_character(text, code);
    all += size == 0 ? 1 : static_cast<std::size_t>(::utf8proc_charwidth(code));
    text.remove_prefix(std::max<std::size_t>(size, 1));
  }
  return all;
}

std::string cut_to_columns(std::string text, std::size_t most) {
  if (text.size() <= most || columns(text) <= most) return text;
  std::size_t end = 0;
  for (std::size_t used = 0; end < text.size();) {
    std::int32_t code = 0;
    const std::size_t size = std::max<std::size_t>(first_character(std::string_view(text).substr(end), code), 1);
    used += columns(std::string_view(text).substr(end, size));
    if (used >= most) break;
    end += size;
  }
  text.resize(end);
  return text + "…";
}

std::vector<std::string> split(const std::string& text, char separator) {
  std::vector<std::string> parts;
  std::istringstream stream(text);
  for (std::string part; std::getline(stream, part, separator);) parts.push_back(part);
  return parts;
}

std::string csv_field(std::string_view text) {
  std::string shown = printable(text, "\n\r");
  if (is_formula(shown)) shown.insert(0, "'");
  if (shown.find_first_of(",;\"\n\r\t") == std::string::npos) return shown;
  std::string quoted = "\"";
  for (char c : shown) quoted += c == '"' ? "\"\"" : std::string(1, c);
  return quoted + "\"";
}

}  // namespace idlemeter
