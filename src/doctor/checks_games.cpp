// Whether games can be measured: probes, graphics libraries, drivers.
#include <dlfcn.h>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <set>

#include "base/launch.hpp"
#include "doctor/checks.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "meter/entrance/game_environment.hpp"

namespace idlemeter::doctor {
namespace {

namespace fs = std::filesystem;

bool is_library(const char* name) {
  void* const library = ::dlopen(name, RTLD_LAZY);
  if (library != nullptr) ::dlclose(library);
  return library != nullptr;
}

/// What the loader says when it loads the probe into a program that does nothing; "" if it is content.
std::string words_of_loader() {
  const auto environment = meter::environment_for({}, "/nowhere", true);
  const int errors = ::memfd_create("errors", MFD_CLOEXEC);
  const base::Launched started = base::launch(
      {"true"}, {.files = {base::kNoFile, base::kNoFile, errors, base::kNoFile}, .variables = environment.variables});
  if (started.pid > 0) (void)base::wait_for(started.pid);
  char words[400] = {};
  const ssize_t read = ::pread(errors, words, sizeof words - 1, 0);
  ::close(errors);
  return started.pid > 0 ? std::string(words, static_cast<std::size_t>(std::max<ssize_t>(read, 0)))
                         : "the program 'true' can't be started";
}

/// The Vulkan drivers' manifests, as the loader finds them (Vulkan-Loader, LoaderDriverInterface.md).
std::set<std::string> vulkan_drivers() {
  std::set<std::string> found;
  for (const char* name : {"VK_DRIVER_FILES", "VK_ICD_FILENAMES"}) {
    const char* chosen = std::getenv(name);
    if (chosen == nullptr) continue;
    for (const std::string& file : split(chosen, ':')) found.insert(fs::path(file).stem().string());
    return found;
  }
  const char* const home = std::getenv("HOME");
  const fs::path own = home == nullptr ? "/" : fs::path(home) / ".local/share/vulkan/icd.d";
  for (const fs::path& folder : {own, fs::path("/etc/vulkan/icd.d"), fs::path("/usr/local/share/vulkan/icd.d"),
                                 fs::path("/usr/share/vulkan/icd.d")}) {
    std::error_code none;
    for (const auto& file : fs::directory_iterator(folder, none)) {
      if (file.path().extension() == ".json") found.insert(file.path().stem().string());
    }
  }
  return found;
}

HealthCheck opengl_check() {
  HealthCheck check{"games.opengl", "OpenGL games", Health::fails, "", ""};
  std::string loader;
  try {
    loader = words_of_loader();
  } catch (const Error& error) {
    check.finding = error.what();
    return check;
  }
  const bool is_there = is_library("libGL.so.1") || is_library("libEGL.so.1");
  if (!loader.empty()) {
    check.finding = "the probe can't be loaded: " + loader.substr(0, loader.find('\n'));
    check.fix = "install Idle Meter whole, from the package for this system";
  } else if (!is_there) {
    check.finding = "there is no OpenGL library, libGL.so.1 or libEGL.so.1";
    check.fix = to_install("libgl1 libegl1 libgl1-mesa-dri");
  } else {
    check.health = Health::works;
    check.finding = "the probe loads";
  }
  return check;
}

HealthCheck vulkan_check() {
  const auto drivers = vulkan_drivers();
  if (!is_library("libvulkan.so.1"))
    return {"games.vulkan", "Vulkan games", Health::limited, "there is no Vulkan loader, libvulkan.so.1",
            to_install("libvulkan1 mesa-vulkan-drivers")};
  if (drivers.empty())
    return {"games.vulkan", "Vulkan games", Health::limited, "there is no Vulkan driver",
            to_install("mesa-vulkan-drivers")};
  return {"games.vulkan", "Vulkan games", Health::works, fmt::format("drivers: {}", fmt::join(drivers, ", "))};
}

HealthCheck word_size_check() {
  HealthCheck check{"games.32_bit", "32-bit games", Health::works, "the probe for them is installed", ""};
  std::error_code unknown;
  if (!fs::exists("/lib/ld-linux.so.2", unknown)) {
    check.finding = "none can run: there is no 32-bit C library";
  } else if (!meter::has_32_bit_probe()) {
    check.health = Health::limited;
    check.finding = "the probe for them isn't installed: only a window above them shows an overlay";
    check.fix = "install the package that has it";
  }
  return check;
}

HealthCheck card_check() {
  constexpr const char* kFolder = "/dev/dri";
  HealthCheck check{"games.gpu", "Graphics card", Health::limited, "", ""};
  std::error_code none;
  std::vector<std::string> nodes;
  bool is_open = false;
  for (const auto& node : fs::directory_iterator(kFolder, none)) {
    const std::string name = node.path().filename().string();
    if (!name.starts_with("renderD")) continue;
    nodes.push_back(name);
    is_open = is_open || ::access(node.path().c_str(), R_OK | W_OK) == 0;
  }
  if (nodes.empty() && !fs::exists("/dev/nvidiactl", none)) {
    check.finding = "there is no device for one: the processor draws";
  } else if (!nodes.empty() && !is_open) {
    check.finding = fmt::format("you may not use {}/{}", kFolder, fmt::join(nodes, ", "));
    check.fix = "sudo usermod -aG render,video $USER, then log in again";
  } else {
    check.health = Health::works;
    check.finding = nodes.empty() ? "/dev/nvidiactl" : fmt::format("{}/{}", kFolder, fmt::join(nodes, ", "));
  }
  return check;
}

}  // namespace

void check_games(Checks& checks) {
  checks.insert(checks.end(), {opengl_check(), vulkan_check(), word_size_check(), card_check()});
}

}  // namespace idlemeter::doctor
