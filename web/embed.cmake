# cmake -D CHART=uPlot.iife.min.js -D FROM=node_modules -D WEB=web -D TO=report_assets.cpp -P embed.cmake: the report's script and style as
# texts of C++. Without CHART there is no script.
if(CHART)
  file(READ ${CHART} chart)
  file(READ ${FROM}/uplot/dist/uPlot.min.css chart_style)
  file(READ ${FROM}/uplot/LICENSE license)
  file(READ ${WEB}/report.js report)
  set(script "${chart}\n${report}")
endif()
file(READ ${WEB}/report.css style)
foreach(text chart_style license script style)
  if("${${text}}" MATCHES "</[sS][cCtT]|\\)idlemeter\"")
    message(FATAL_ERROR "${text} would end the element or the text that it stands in")
  endif()
endforeach()
file(WRITE ${TO} "#include \"report/report_assets.hpp\"

namespace idlemeter::report {

const std::string_view kScript = R\"idlemeter(${script})idlemeter\";
const std::string_view kStyle = R\"idlemeter(${chart_style}
${style})idlemeter\";
const std::string_view kLicense = R\"idlemeter(${license})idlemeter\";

}  // namespace idlemeter::report
")
