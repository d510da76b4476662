#include "meter/entrance/game_environment.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cstdlib>

#include "base/launch.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/meter/running_meters.hpp"

namespace idlemeter::meter {
namespace {

namespace fs = std::filesystem;

constexpr const char* kProbe = "libidlemeter-probe-gl.so";

fs::path installed_probes() {
  if (const fs::path probe = installed_file(kProbe); !probe.empty()) return probe.parent_path();
  throw Error(Error::Code::not_found, "cannot find the probe that goes into the game", kProbe,
              "install Idle Meter whole");
}

/// The folder under a name without what LD_PRELOAD and VK_ADD_LAYER_PATH take for the end of a path or expand: a link
/// in the user's own folder for sockets, or in /tmp.
fs::path plain_name_of(const fs::path& folder) {
  constexpr const char* kSpecial = " :;$\t\n";
  if (folder.string().find_first_of(kSpecial) == std::string::npos) return folder;
  for (const fs::path& place : {meter_folder(), fs::path(fmt::format("/tmp/idlemeter-{}", ::geteuid()))}) {
    if (place.string().find_first_of(kSpecial) != std::string::npos) continue;
    try {
      make_private_folder(place);
    } catch (const Error&) {  // another user's
      continue;
    }
    const fs::path link = place / fmt::format("probe-{:x}", std::hash<std::string>()(folder.string()));
    const fs::path made = link.string() + fmt::format(".{}", ::getpid());
    std::error_code failed;
    fs::create_directory_symlink(folder, made, failed);
    if (!failed) fs::rename(made, link, failed);  // in one step: another meter may make the same
    if (!failed) return link;
  }
  throw Error(Error::Code::invalid, "games can't load the probe from a folder with such a name", folder.string(),
              "install Idle Meter in a folder without spaces, colons and dollar signs in its path");
}

/// Takes a variable out of a list; its value, or "".
std::string take(std::vector<std::string>& variables, const std::string& name) {
  std::string value;
  std::erase_if(variables, [&](const std::string& variable) {
    const bool is_it = variable.starts_with(name + "=");
    if (is_it) value = variable.substr(name.size() + 1);
    return is_it;
  });
  return value;
}

void prepend(std::vector<std::string>& variables, const std::string& name, const std::string& first) {
  const std::string rest = take(variables, name);
  variables.push_back(name + "=" + first + (rest.empty() ? "" : ":" + rest));
}

/// Returns the probes' folder. Adds links to PATH that share the probes with containers which a launcher starts.
fs::path add_probe(std::vector<std::string>& variables, const fs::path& wanted) {
  const fs::path folder = plain_name_of(wanted.empty() ? installed_probes() : wanted.parent_path());
  // The game's loader replaces $LIB by where libraries of its word size are: each loads the probe of its own.
  const fs::path probe = wanted.empty() ? fs::path("probes/$LIB") / kProbe : wanted.filename();
  prepend(variables, "LD_PRELOAD", (folder / probe).string());
  prepend(variables, "VK_ADD_LAYER_PATH", (folder / "layers").string());
  const fs::path containers = folder / "containers";
  if (std::getenv("PATH") != nullptr && fs::is_directory(containers)) prepend(variables, "PATH", containers.string());
  constexpr const char* kLayer = "VK_LAYER_IDLEMETER_overlay";
  std::string layers = take(variables, "VK_INSTANCE_LAYERS");  // the last one is nearest to the driver
  if (layers.find(kLayer) == std::string::npos) layers += (layers.empty() ? "" : ":") + std::string(kLayer);
  variables.push_back("VK_INSTANCE_LAYERS=" + layers);
  return folder;
}

}  // namespace

bool has_32_bit_probe() { return !installed_file(fs::path("32") / kProbe).empty(); }

GameEnvironment environment_for(const PlayOptions& options, const fs::path& socket, bool loads_probe) {
  std::vector<std::string> variables = base::own_variables();
  for (const char* name : {kLinkVariable, "IDLEMETER_GPU_TIME", kAboveVariable}) take(variables, name);
  if (options.way == FrameWay::above) {
    variables.push_back(fmt::format("{}={}", kAboveVariable, ::getpid()));
    return {variables, {}};
  }
  variables.push_back(fmt::format("{}={}", kLinkVariable, socket.string()));
  variables.push_back(fmt::format("IDLEMETER_GPU_TIME={}", name_of(options.settings.gpu_time)));
  const fs::path probes = loads_probe ? add_probe(variables, options.probe) : "";
  return {variables, probes};
}

}  // namespace idlemeter::meter
