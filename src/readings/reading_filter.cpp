#include "idlemeter/readings/reading_filter.hpp"

#include <algorithm>
#include <map>
#include <optional>
#include <utility>

#include "idlemeter/base/text.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

/// What people say, and the part of an id that it means.
struct OtherName {
  std::string_view word, part;
  std::optional<DeviceKind> kind = {};  ///< only of these devices
};
constexpr OtherName kOtherNames[] = {{"heat", "temp"},
                                     {"hot", "temp"},
                                     {"vram", "memory", DeviceKind::graphics},
                                     {"usage", "load"},
                                     {"utilization", "load"},
                                     {"utilisation", "load"},
                                     {"frequency", "clock"},
                                     {"consumption", "power"},
                                     {"watts", "power"},
                                     {"wattage", "power"},
                                     {"noise", "fan"},
                                     {"throttling", "throttle"},
                                     {"frametime", "frame.time"},
                                     {"frametimes", "frame.time"},
                                     {"lows", "frame.low"},
                                     {"lag", "latency"},
                                     {"drive", "", DeviceKind::disk},
                                     {"ssd", "", DeviceKind::disk},
                                     {"download", ".down"},
                                     {"upload", ".up"},
                                     {"video", "", DeviceKind::graphics}};
constexpr std::size_t kLeastOfName = 3;  // letters of an unfinished other name

bool is_other_name(const ReadingInfo& info, std::string_view word) {
  return std::any_of(std::begin(kOtherNames), std::end(kOtherNames), [&](const OtherName& name) {
    const bool is_said = name.word == word || (word.size() >= kLeastOfName && name.word.starts_with(word));
    return is_said && (!name.kind || *name.kind == info.kind) && info.id.find(name.part) != std::string::npos;
  });
}

std::vector<std::string> words_in(std::string_view query) {
  std::vector<std::string> words = split(lower_case(query), ' ');
  std::erase(words, "");
  return words;
}

}  // namespace

bool has_word(const ReadingInfo& info, std::string_view given) {
  const std::string word = lower_case(given);
  const auto has = [&](std::string_view text) { return lower_case(text).find(word) != std::string::npos; };
  return has(info.id) || has(info.title) || has(info.device) || has(name_of(info.kind)) ||
         lower_case(symbol(info.unit)) == word || is_other_name(info, word);
}

std::vector<Snapshot::Entry> entries_with(const Snapshot& snapshot, std::string_view query) {
  std::vector<Snapshot::Entry> entries = snapshot.entries();
  std::map<std::string, std::size_t> devices;
  for (const auto& entry : entries) devices.try_emplace(entry.info->device, devices.size());
  std::erase_if(entries, [words = words_in(query)](const Snapshot::Entry& entry) {
    return !std::all_of(words.begin(), words.end(), [&](const auto& word) { return has_word(*entry.info, word); });
  });
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
