// Idle Meter: readings found by words, and in the order in which people look for them.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// Whether the reading's id, title, device or kind has the word in it, upper and lower case alike. An empty word is in
/// all.
[[nodiscard]] bool has_word(const ReadingInfo& info, std::string_view word);

/// The readings with the word, by kind and then by device, in the order in which devices were found.
[[nodiscard]] std::vector<Snapshot::Entry> entries_with(const Snapshot& snapshot, std::string_view word);

/// Whether a log of readings takes it: it has one of the words, or there are none. Never the time of day, which every
/// sample has, nor what is said of a game.
[[nodiscard]] bool is_for_log(const ReadingInfo& info, const std::vector<std::string>& words);

}  // namespace idlemeter
