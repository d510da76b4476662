#include "idlemeter/plot/write_plot.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <fstream>
#include <iterator>
#include <string>

#include "base/launch.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/base/text.hpp"
#include "plot/gnuplot_script.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

/// Runs gnuplot on a script. Returns its error message, or "".
std::string run_gnuplot(const fs::path& script, const fs::path& errors) {
  const int said_to = ::open(errors.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
  const base::Launched launched =
      base::launch({"gnuplot", script.string()}, {.files = {base::kKeptFile, base::kNoFile, said_to, base::kKeptFile}});
  ::close(said_to);
  constexpr int kNotFound = 127;
  const int status = launched.error == 0 ? base::wait_for(launched.pid) : kNotFound;
  if (status == kNotFound)
    throw Error(Error::Code::not_found, "plots are drawn by gnuplot, which isn't installed", "",
                "install it, like 'sudo apt-get install gnuplot-nox'");
  if (status == 0) return "";
  std::ifstream said(errors);
  std::string text((std::istreambuf_iterator<char>(said)), {});
  return text.empty() ? "no reason given" : printable(text.substr(0, 500));
}

template <typename AnyPlot>
void write_any(const AnyPlot& plot, const fs::path& file) {
  const ScratchFolder folder;
  const fs::path made = folder.path() / (file.extension() == ".svg" ? "plot.svg" : "plot.png");
  const fs::path script = folder.path() / "plot.gp";
  {
    const ScratchFolder::Writing writing;
    std::ofstream(script, std::ios::binary) << plot::script_of(plot, made);
  }
  const std::string problem = run_gnuplot(script, folder.path() / "errors");
  std::ifstream drawn(made, std::ios::binary);
  const std::string bytes((std::istreambuf_iterator<char>(drawn)), {});
  if (!problem.empty() || bytes.empty())
    throw Error(Error::Code::failed, fmt::format("gnuplot couldn't draw the plot: {}", problem), file.string(),
                "see that gnuplot works by itself");
  replace_file(file, bytes);
}

}  // namespace

void write_plot(const Plot& plot, const fs::path& file) { write_any(plot, file); }
void write_plot(const BarPlot& plot, const fs::path& file) { write_any(plot, file); }

}  // namespace idlemeter
