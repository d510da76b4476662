#include "idlemeter/readings/reading_filter.hpp"

#include <algorithm>
#include <map>
#include <utility>

#include "idlemeter/base/text.hpp"

namespace idlemeter {

bool has_word(const ReadingInfo& info, std::string_view word) {
  const std::string part = lower_case(word);
  const auto has = [&](std::string_view text) { return lower_case(text).find(part) != std::string::npos; };
  return has(info.id) || has(info.title) || has(info.device) || has(name_of(info.kind));
}

std::vector<Snapshot::Entry> entries_with(const Snapshot& snapshot, std::string_view word) {
  std::vector<Snapshot::Entry> entries = snapshot.entries();
  std::map<std::string, std::size_t> devices;
  for (const auto& entry : entries) devices.try_emplace(entry.info->device, devices.size());
  std::erase_if(entries, [&](const Snapshot::Entry& entry) { return !has_word(*entry.info, word); });
  std::stable_sort(entries.begin(), entries.end(), [&](const auto& a, const auto& b) {
    return std::pair(a.info->kind, devices[a.info->device]) < std::pair(b.info->kind, devices[b.info->device]);
  });
  return entries;
}

bool is_for_log(const ReadingInfo& info, const std::vector<std::string>& words) {
  if (info.id.starts_with("clock.") || info.id.starts_with("game.")) return false;
  return words.empty() ||
         std::any_of(words.begin(), words.end(), [&](const std::string& word) { return has_word(info, word); });
}

}  // namespace idlemeter
