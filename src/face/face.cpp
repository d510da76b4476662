#include "idlemeter/face/face.hpp"

#include <algorithm>
#include <unordered_set>

#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/span.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

void for_each_cell(const Face& face, const std::function<void(const Cell&)>& take) {
  for (const Row& row : face.rows) {
    for (const Cell& cell : row.cells) take(cell);
  }
  for (const Pin& pin : face.pins) {
    if (const auto* shown = std::get_if<CellPin>(&pin.what)) take(shown->cell);
  }
}

std::vector<std::string> pictures_of(const Face& face) {
  std::vector<std::string> pictures;
  const auto add = [&](const std::string& file) {
    if (!file.empty() && std::find(pictures.begin(), pictures.end(), file) == pictures.end()) pictures.push_back(file);
  };
  for_each_cell(face, [&](const Cell& cell) {
    if (const auto* reel = std::get_if<ReelLook>(&cell.as)) add(reel->sheet.file);
  });
  for (const Pin& pin : face.pins) {
    if (const auto* picture = std::get_if<PicturePin>(&pin.what)) add(picture->file);
  }
  return pictures;
}

std::string spanned(const std::string& id, const std::optional<Span>& of_cell, const Face& face) {
  auto statistic = frame_statistic(id);
  if (!statistic) return id;
  if (!statistic->span) statistic->span = of_cell.value_or(face.span);
  return id_of(*statistic);
}

std::vector<std::string> readings_of(const Face& face) {
  std::vector<std::string> ids;
  std::unordered_set<std::string> seen;
  const auto add = [&](const std::string& id) {
    if (!id.empty() && seen.insert(id).second) ids.push_back(id);
  };
  for (const Row& row : face.rows) {
    for (const Cell& cell : row.cells) add(spanned(cell.reading, cell.span, face));
  }
  for (const Pin& pin : face.pins) {
    if (const auto* shown = std::get_if<CellPin>(&pin.what)) add(spanned(shown->cell.reading, shown->cell.span, face));
    if (const auto* text = std::get_if<TextPin>(&pin.what)) {
      for (const TextPiece& piece : text->text) add(spanned(piece.reading, text->span, face));
    }
  }
  return ids;
}

bool is_left_out(const Row& row, const Face& face, const Snapshot& values) {
  const auto is_unknown = [&](const Cell& cell) {
    return values.find(spanned(cell.reading, cell.span, face)).info == nullptr;
  };
  return row.optional && !row.cells.empty() && std::all_of(row.cells.begin(), row.cells.end(), is_unknown);
}

}  // namespace idlemeter
