// How face files write cells, and the values that pins have too.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "face/format/toml_reader.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/frames/span.hpp"

namespace idlemeter::face {

inline constexpr double kLargestLength = 4000;  // in 1/1080 of the height: wider than any picture

/// Two numbers in brackets; empty, with no finding, for anything else.
std::optional<std::pair<double, double>> pair_of(const toml::node* node);

void read_span(TableReader& table, std::optional<Span>& span);

/// A file's name within the face's folder.
void read_file_name(TableReader& table, std::string_view key, std::string& into);

/// What a cell or a pin says of how it shows its reading. Keys for another way to show it are findings.
void read_look(TableReader& table, Cell& cell);

Cell read_cell(TableReader& table);

/// The keys that only cells shown in other ways can have: of "ring" among others "grow". Empty if it isn't a way.
std::vector<std::string> keys_of_others(std::string_view as);

}  // namespace idlemeter::face
