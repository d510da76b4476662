// Texts with places for readings: "{clock.now:%H:%M}  {gpu.power:.0f} W".
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/face/face.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter::face {

/// Takes a text apart; "{{" and "}}" are braces. Empty if a brace is open, a place is empty or its format is none:
/// `problem` then says what is wrong.
std::optional<std::vector<TextPiece>> text_pieces(std::string_view text, std::string& problem);

/// The text with the values of now. A format with "%" is strftime's and takes the time of day, any other is
/// std::format's and takes the number; a text reading takes none. What is missing is "–".
///
/// `id_of`: the id under which the snapshot has a reading.
std::string filled(const std::vector<TextPiece>& pieces, const Snapshot& values,
                   const std::function<std::string(const std::string&)>& id_of);

}  // namespace idlemeter::face
