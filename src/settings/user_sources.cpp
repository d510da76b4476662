#include "idlemeter/settings/user_sources.hpp"

#include "idlemeter/readings/source.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/sources/command_source.hpp"
#include "idlemeter/sources/feed.hpp"
#include "idlemeter/sources/machine.hpp"

namespace idlemeter {

Sources sources_with(const Settings& settings, MachineOptions options) {
  for (const auto& [id, text] : settings.facts) options.facts.insert_or_assign(id, text);
  Sources sources = machine_sources(options);
  for (const CommandReading& command : settings.commands) sources.push_back(command_source(command));
  if (settings.feed) sources.push_back(feed_source(*settings.feed));
  return sources;
}

}  // namespace idlemeter
