// Idle Meter: readings found by words, and in the order in which people look for them.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// Whether the word is in the reading's id, title, device or kind, is its unit, or is another name for it or the
/// beginning of one: "vram", "heat", "usage", "watts". Upper and lower case are alike. An empty word fits all.
[[nodiscard]] bool has_word(const ReadingInfo& info, std::string_view word);

/// The readings that have all words of the query ("gpu heat", "1% low"), by kind and then by device, in the order in
/// which devices were found.
[[nodiscard]] std::vector<Snapshot::Entry> entries_with(const Snapshot& snapshot, std::string_view query);

/// Whether a log of readings takes it: it has one of the words, or there are none. Never the time of day, which every
/// sample has, nor what is said of a game.
[[nodiscard]] bool is_for_log(const ReadingInfo& info, const std::vector<std::string>& words);

}  // namespace idlemeter
