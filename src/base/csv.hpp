// Lines of CSV (RFC 4180), appended to a string.
#pragma once

#include <fmt/format.h>

#include <concepts>
#include <cstdlib>
#include <iterator>
#include <optional>
#include <string>
#include <string_view>

#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter::base {

/// One field after another, and the ends of lines. The string has to live as long as this.
class CsvWriter {
 public:
  /// `line_end`: "\r\n" as the standard says, "\n" for lines that a terminal shows as they come.
  explicit CsvWriter(std::string& into, std::string_view line_end = "\r\n") : csv_(into), line_end_(line_end) {}

  /// In quotes if it needs them: csv_field().
  CsvWriter& text(std::string_view text) { return raw(csv_field(text)); }

  /// A text that needs no quotes, such as csv_field() has returned.
  CsvWriter& raw(std::string_view field) {
    separate();
    csv_ += field;
    return *this;
  }

  CsvWriter& empty() { return raw(""); }

  CsvWriter& number(std::integral auto value) { return shortest(value); }
  CsvWriter& number(double value) { return shortest(value); }
  CsvWriter& number(const std::optional<double>& value) { return value ? number(*value) : empty(); }

  /// With so many digits after the point.
  CsvWriter& number(double value, int digits) {
    separate();
    fmt::format_to(std::back_inserter(csv_), "{:.{}f}", value, digits);
    return *this;
  }

  /// Exact, which a double isn't.
  CsvWriter& seconds(Nanoseconds time) { return moved(time, 9); }
  CsvWriter& milliseconds(Nanoseconds time) { return moved(time, 6); }

  void end_line() {
    csv_ += line_end_;
    first_ = true;
  }

 private:
  void separate() {
    if (!first_) csv_ += ',';
    first_ = false;
  }

  template <typename Number>
  CsvWriter& shortest(Number value) {
    separate();
    fmt::format_to(std::back_inserter(csv_), "{}", value);
    return *this;
  }

  /// Nanoseconds with the point moved to the left: 16683400 by 6 digits is "16.683400".
  CsvWriter& moved(Nanoseconds length, int digits) {
    separate();
    const std::int64_t unit = digits == 9 ? 1'000'000'000 : 1'000'000;
    const std::int64_t count = length.count();
    fmt::format_to(std::back_inserter(csv_), "{}{}.{:0{}}", count < 0 ? "-" : "", std::abs(count / unit),
                   std::abs(count % unit), digits);
    return *this;
  }

  std::string& csv_;
  std::string_view line_end_;
  bool first_ = true;
};

}  // namespace idlemeter::base
