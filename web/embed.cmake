# cmake -D FROM=node_modules -D WEB=web -D TO=report_assets.cpp -P embed.cmake: the report's script and style as texts of C++.
file(READ ${FROM}/uplot/dist/uPlot.iife.min.js chart)
file(READ ${FROM}/uplot/dist/uPlot.min.css chart_style)
file(READ ${FROM}/uplot/LICENSE license)
file(READ ${WEB}/report.js script)
file(READ ${WEB}/report.css style)
foreach(text chart chart_style license script style)
  if("${${text}}" MATCHES "</[sS][cCtT]|\\)idlemeter\"")
    message(FATAL_ERROR "${text} would end the element or the text that it stands in")
  endif()
endforeach()
file(WRITE ${TO} "#include \"report/report_assets.hpp\"

namespace idlemeter::report {

const std::string_view kScript = R\"idlemeter(${chart}
${script})idlemeter\";
const std::string_view kStyle = R\"idlemeter(${chart_style}
${style})idlemeter\";
const std::string_view kLicense = R\"idlemeter(${license})idlemeter\";

}  // namespace idlemeter::report
")
