// What a Wayland compositor says of itself and its outputs.
#include "meter/display/wayland_facts.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "meter/display/wayland_session.hpp"

namespace idlemeter::meter {
namespace {

std::string mode_of(const WaylandOutput& output) {
  const std::string size = fmt::format("{}x{}", output.mode_width, output.mode_height);
  return output.millihertz > 0 ? fmt::format("{} at {:.2f} Hz", size, output.millihertz / 1e3) : size;
}

}  // namespace

std::map<std::string, std::string> wayland_facts(const WaylandSession& session) {
  const std::string name = session.compositor_name();
  std::map<std::string, std::string> facts = {{"Compositor", name.empty() ? "Wayland" : name + ", Wayland"}};
  const auto is_on = [](const WaylandOutput& output) { return output.mode_width > 0; };
  const auto output = std::find_if(session.outputs.begin(), session.outputs.end(), is_on);
  if (output == session.outputs.end()) return facts;
  facts.emplace("Display", mode_of(*output));
  if (output->scale() != 1) facts.emplace("Display scale", fmt::format("{:.4g}", output->scale()));
  return facts;
}

std::map<std::string, std::string> wayland_facts() {
  const auto session = find_wayland_session();
  return session == nullptr ? std::map<std::string, std::string>() : wayland_facts(*session);
}

}  // namespace idlemeter::meter
