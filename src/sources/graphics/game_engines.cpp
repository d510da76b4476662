#include "sources/graphics/game_engines.hpp"

#include <algorithm>
#include <set>

namespace idlemeter::sources {
namespace {

/// One file's keys: "drm-engine-gfx:\t123456 ns".
std::map<std::string, std::string, std::less<>> keys_of(const FileText& file) {
  std::map<std::string, std::string, std::less<>> keys;
  for (std::string_view line : lines(file.text)) {
    const std::size_t colon = line.find(':');
    const std::size_t start = line.find_first_not_of(" \t", colon == std::string_view::npos ? line.size() : colon + 1);
    if (line.starts_with("drm-") && start != std::string_view::npos)
      keys.emplace(line.substr(0, colon), line.substr(start));
  }
  return keys;
}

/// "123 KiB" -> bytes.
std::uint64_t bytes_of(std::string_view text) {
  const std::uint64_t count = leading_count(text).value_or(0);
  if (text.ends_with("KiB")) return count << 10;
  return text.ends_with("MiB") ? count << 20 : count;
}

}  // namespace

GameEngines game_engines(const fs::path& fdinfo) {
  GameEngines engines;
  std::set<std::string> clients;
  std::map<std::string, std::uint64_t> by_slot;
  for (const std::string& name : names_in(fdinfo)) {
    const auto keys = keys_of(read_file(fdinfo / name));
    const auto client = keys.find("drm-client-id");
    const auto slot = keys.find("drm-pdev");
    if (client == keys.end()) continue;
    const std::string card = slot == keys.end() ? "" : slot->second;
    if (!clients.insert(card + " " + client->second).second) continue;
    for (const auto& [key, text] : keys) {
      if (key.starts_with("drm-engine-") && !key.starts_with("drm-engine-capacity-")) {
        const std::uint64_t busy = leading_count(text).value_or(0);
        engines.busy[as_id(std::string_view(key).substr(11))] += busy;
        by_slot[card] += busy;
      } else if (key == "drm-memory-vram" || key == "drm-resident-vram0" || key == "drm-resident-local0") {
        engines.memory = engines.memory.value_or(0) + bytes_of(text);
      }
    }
  }
  const auto most = std::max_element(by_slot.begin(), by_slot.end(),
                                     [](const auto& a, const auto& b) { return a.second < b.second; });
  if (most != by_slot.end()) engines.slot = most->first;
  return engines;
}

}  // namespace idlemeter::sources
