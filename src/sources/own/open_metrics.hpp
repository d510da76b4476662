// Lines of the OpenMetrics text format (OpenMetrics 1.0, "Text Format").
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace idlemeter::sources {

struct MetricLine {
  enum class Kind {
    sample,
    help,
    unit,
    other
  } kind = Kind::other;  ///< other: "# TYPE", "# EOF", a comment, an empty line
  std::string name;
  std::vector<std::pair<std::string, std::string>> labels;
  double value = 0;  ///< of a sample; finite
  std::string text;  ///< of a help or a unit
};

/// Empty if the line is none of the format, or its value is NaN or infinite. Time stamps and exemplars are passed
/// over.
std::optional<MetricLine> metric_line(std::string_view line);

}  // namespace idlemeter::sources
