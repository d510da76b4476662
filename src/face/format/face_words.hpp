// The words that face files have for choices.
#pragma once

#include <cstdint>

#include "face/format/toml_reader.hpp"
#include "idlemeter/face/face.hpp"

namespace idlemeter::face {

/// The ways to show a reading, as files name them.
enum class Show : std::uint8_t { text, trace, text_and_trace, ring, reel };

inline constexpr Word<Anchor> kAnchors[] = {{"top-left", Anchor::top_left},
                                            {"top", Anchor::top},
                                            {"top-right", Anchor::top_right},
                                            {"left", Anchor::left},
                                            {"centre", Anchor::centre},
                                            {"right", Anchor::right},
                                            {"bottom-left", Anchor::bottom_left},
                                            {"bottom", Anchor::bottom},
                                            {"bottom-right", Anchor::bottom_right}};
inline constexpr Word<Flow> kFlows[] = {{"stack", Flow::stack}, {"line", Flow::line}, {"columns", Flow::columns}};
inline constexpr Word<Align> kAligns[] = {{"left", Align::left}, {"centre", Align::centre}, {"right", Align::right}};
inline constexpr Word<Edge> kEdges[] = {{"none", Edge::none}, {"shadow", Edge::shadow}, {"outline", Edge::outline}};
inline constexpr Word<bool> kUnitPlaces[] = {{"level", false}, {"raised", true}};
inline constexpr Word<bool> kWeights[] = {{"normal", false}, {"bold", true}};
inline constexpr Word<bool> kLayers[] = {{"front", false}, {"behind", true}};
inline constexpr Word<Show> kShows[] = {{"text", Show::text},
                                        {"trace", Show::trace},
                                        {"text+trace", Show::text_and_trace},
                                        {"ring", Show::ring},
                                        {"reel", Show::reel}};

inline Show way_of(const Cell& cell) {
  constexpr Show kWays[] = {Show::text, Show::trace, Show::ring, Show::reel};  // in the order of the variant
  return cell.trace() != nullptr && cell.trace()->with_text ? Show::text_and_trace : kWays[cell.as.index()];
}

inline constexpr Word<Palette> kPalettes[] = {
    {"shore", Palette::shore}, {"beacon", Palette::beacon}, {"chalk", Palette::chalk}};

}  // namespace idlemeter::face
