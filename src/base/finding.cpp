#include "idlemeter/base/finding.hpp"

#include <fmt/format.h>

namespace idlemeter {

std::string to_string(const Finding& finding, std::string_view file) {
  return fmt::format("{}:{}:{}: {}: {}", file, finding.line, finding.column,
                     finding.severity == Finding::Severity::error ? "error" : "warning", finding.message);
}

}  // namespace idlemeter
