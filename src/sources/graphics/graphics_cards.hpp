// Which graphics cards there are.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/readings/reading.hpp"
#include "sources/graphics/pci_names.hpp"
#include "sources/kernel/kernel_file.hpp"

namespace idlemeter::sources {

struct GraphicsCard {
  fs::path folder = {};     // /sys/class/drm/card0
  std::string slot = {};    // "0000:03:00.0"
  std::string driver = {};  // "amdgpu"
  std::string name = {};    // "Marl G9"
  bool integrated = false;
  double memory = 0;  // bytes of its own
};

/// All cards in the order of their slots: the same numbers after every boot.
std::vector<GraphicsCard> graphics_cards(const fs::path& root);

/// The card that the game uses: the one that its process has work most, if there is one; else a discrete one, of
/// several the one with the most memory. Of at least one card.
std::size_t game_card(const std::vector<GraphicsCard>& cards, const fs::path& root, int game);

/// What the readings of one of several cards are called.
struct CardNames {
  CardNames(std::size_t card, std::size_t game_card, std::size_t cards);

  /// Puts them before the id and the title that an info has: "load" -> "gpu.load", also known as "gpu0.load".
  void give(ReadingInfo& info) const;

  std::string id, alias, title;
};

}  // namespace idlemeter::sources
