#include "sources/own/open_metrics.hpp"

#include <cctype>
#include <charconv>
#include <cmath>

namespace idlemeter::sources {
namespace {

/// Takes a line apart from its front; each call moves on if it succeeds.
class Cursor {
 public:
  explicit Cursor(std::string_view text) : rest_(text) {}

  [[nodiscard]] bool done() const { return rest_.empty(); }
  [[nodiscard]] std::string_view rest() const { return rest_; }

  bool take(char c) {
    if (rest_.empty() || rest_.front() != c) return false;
    rest_.remove_prefix(1);
    return true;
  }

  bool take(std::string_view word) {
    if (!rest_.starts_with(word)) return false;
    rest_.remove_prefix(word.size());
    return true;
  }

  /// [a-zA-Z_:][a-zA-Z0-9_:]*, "" if there is none.
  std::string name() {
    std::size_t end = 0;
    const auto fits = [&](char c) {
      return c == '_' || c == ':' || std::isalpha(static_cast<unsigned char>(c)) != 0 ||
             (end > 0 && std::isdigit(static_cast<unsigned char>(c)) != 0);
    };
    while (end < rest_.size() && fits(rest_[end])) ++end;
    std::string found(rest_.substr(0, end));
    rest_.remove_prefix(end);
    return found;
  }

  /// A quoted text with \\, \" and \n; empty if it doesn't end.
  std::optional<std::string> quoted() {
    if (!take('"')) return std::nullopt;
    std::string text;
    while (!rest_.empty()) {
      char c = rest_.front();
      rest_.remove_prefix(1);
      if (c == '"') return text;
      if (c == '\\' && !rest_.empty()) {
        c = rest_.front() == 'n' ? '\n' : rest_.front();
        rest_.remove_prefix(1);
      }
      text += c;
    }
    return std::nullopt;
  }

  std::optional<double> number() {
    double value = 0;
    const auto [end, error] = std::from_chars(rest_.data(), rest_.data() + rest_.size(), value);
    if (error != std::errc{} || !std::isfinite(value)) return std::nullopt;
    rest_.remove_prefix(static_cast<std::size_t>(end - rest_.data()));
    return value;
  }

 private:
  std::string_view rest_;
};

bool take_labels(Cursor& cursor, MetricLine& line) {
  if (!cursor.take('{')) return true;
  while (!cursor.take('}')) {
    const std::string name = cursor.name();
    if (name.empty() || !cursor.take('=')) return false;
    auto text = cursor.quoted();
    if (!text) return false;
    line.labels.emplace_back(name, std::move(*text));
    cursor.take(',');
  }
  return true;
}

std::optional<MetricLine> comment(Cursor cursor) {
  MetricLine line;
  if (cursor.take("HELP ")) line.kind = MetricLine::Kind::help;
  if (cursor.take("UNIT ")) line.kind = MetricLine::Kind::unit;
  if (line.kind == MetricLine::Kind::other) return line;
  line.name = cursor.name();
  if (line.name.empty() || !cursor.take(' ')) return std::nullopt;
  line.text = cursor.rest();
  return line;
}

std::optional<MetricLine> sample(Cursor cursor) {
  MetricLine line;
  line.kind = MetricLine::Kind::sample;
  line.name = cursor.name();
  if (line.name.empty() || !take_labels(cursor, line) || !cursor.take(' ')) return std::nullopt;
  const auto value = cursor.number();
  if (!value || !(cursor.done() || cursor.take(' '))) return std::nullopt;
  line.value = *value;
  return line;
}

}  // namespace

std::optional<MetricLine> metric_line(std::string_view text) {
  if (text.ends_with('\r')) text.remove_suffix(1);
  for (char c : text) {
    if (static_cast<unsigned char>(c) < 0x20 && c != '\t') return std::nullopt;  // binary
  }
  Cursor cursor(text);
  if (cursor.done()) return MetricLine{};
  if (cursor.take("# ")) return comment(cursor);
  if (cursor.take('#')) return MetricLine{};
  return sample(cursor);
}

}  // namespace idlemeter::sources
