#include "idlemeter/plot/write_plot.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>
#include <iterator>
#include <string>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/base/text.hpp"
#include "plot/gnuplot_script.hpp"

extern char** environ;

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

/// Runs gnuplot on a script. Returns its error message, or "".
std::string run_gnuplot(const fs::path& script, const fs::path& errors) {
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 2, errors.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
  std::string name = "gnuplot", file = script.string();
  char* words[] = {name.data(), file.data(), nullptr};
  pid_t pid = 0;
  const int failed = ::posix_spawnp(&pid, "gnuplot", &actions, nullptr, words, environ);
  posix_spawn_file_actions_destroy(&actions);
  int status = 0;
  if (failed == 0) ::waitpid(pid, &status, 0);
  if (failed != 0 || (WIFEXITED(status) && WEXITSTATUS(status) == 127))
    throw Error(Error::Code::not_found, "plots are drawn by gnuplot, which isn't installed", "",
                "install it, like 'sudo apt-get install gnuplot-nox'");
  if (WIFEXITED(status) && WEXITSTATUS(status) == 0) return "";
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
