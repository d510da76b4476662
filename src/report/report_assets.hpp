// The script and style of a report: made when building, from web/.
#pragma once

#include <string_view>

namespace idlemeter::report {

extern const std::string_view kScript;   ///< the chart library and web/report.js; empty if this was built without plots
extern const std::string_view kStyle;    ///< the chart library's and web/report.css
extern const std::string_view kLicense;  ///< of the chart library

}  // namespace idlemeter::report
