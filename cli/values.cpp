#include "values.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/settings/settings.hpp"
#include "output.hpp"
#include "simulation.hpp"
#include "terminal.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;
using namespace std::chrono_literals;

}  // namespace

Values::Values(const ValueOptions& options, const std::vector<std::string>& ids)
    : rig::Values(options, ids, [](double seconds) { rest(std::chrono::duration<double>(seconds)); }) {}

std::string usual_store() {
  static const std::string store = [] {
    try {
      const fs::path chosen = usual_settings().store;
      if (!chosen.empty()) return chosen.string();
    } catch (const Error& error) {
      complain("{}\nidlemeter: warning: the settings aren't used: runs are looked for in {}\n", error.what(),
               Store::usual_path().string());
    }
    return Store::usual_path().string();
  }();
  return store;
}

void add_value_options(Command command, ValueOptions& options) {
  const Option root =
      command.option("--root", options.root, "A folder with proc/ and sys/ to read instead of this machine's")
          .shows_default()
          .check(existing_folder());
  command
      .option("--rig", options.rig,
              "A simulated machine with its game: desktop (default), laptop, handheld, proprietary, hot, bare")
      .or_just("desktop")
      .check([](const std::string& kind) {
        try {
          (void)rig::spec_of(kind);
          return std::string();
        } catch (const Error& unknown) {
          return std::string(unknown.what());
        }
      })
      .excludes(root);
  command.option("--settings", options.settings, "The settings file, instead of " + usual_settings_path().string());
  command.option("--game", options.game, "The game's process, to show what it uses").check(positive());
}

std::string read_every(const std::string& text, Nanoseconds& every) {
  const auto time = duration_from(text, "s");
  if (!time || *time < 100ms || *time > 1h)
    return fmt::format("'{}' isn't a time from 100 ms to 60 min; write it like 1s or 500ms", text);
  every = *time;
  return "";
}

Check is_size() {
  return [](const std::string& text) {
    int width = 0, height = 0;
    return read_size(text, width, height);
  };
}

std::string read_size(const std::string& text, int& width, int& height) {
  constexpr int kLargestSide = 16384;
  int used = 0;
  const bool two = std::sscanf(text.c_str(), "%dx%d%n", &width, &height, &used) == 2 &&
                   static_cast<std::size_t>(used) == text.size();
  const bool fits = two && width >= 16 && height >= 16 && width <= kLargestSide && height <= kLargestSide;
  return fits ? ""
              : fmt::format("'{}' isn't a picture size; write it like 1920x1080, each side from 16 to {}", text,
                            kLargestSide);
}

}  // namespace idlemeter::cli
