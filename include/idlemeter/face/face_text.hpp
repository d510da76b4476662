// Idle Meter: changing a face file as a text: comments, order and spacing stay.
#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/face/face.hpp"

namespace idlemeter {

/// A face file's text while it is edited. What a change says nothing of stays as it is, to the byte.
///
/// Parts of a face are named like this:
///   "face"                        the face itself
///   "GPU", "row:2"                a row, by its label or its number from 1
///   "GPU/gpu.load", "row:2/1"     a cell, by its reading or its number in its row
///   "pin:3"                       a pin
/// Numbers and labels are those of the moment, so they change with what is added and moved.
///
/// Every change throws Error, and changes nothing, if a part doesn't exist (with the nearest one) or if the face would
/// have more wrong with it than before (with each finding). One thread at a time.
class FaceText {
 public:
  /// `name` is what errors call it. Throws Error if the text isn't TOML; a face with other mistakes can be fixed.
  explicit FaceText(std::string toml, const std::string& name = "face");
  FaceText(FaceText&&) noexcept;
  FaceText& operator=(FaceText&&) noexcept;
  ~FaceText();

  [[nodiscard]] const std::string& toml() const;

  /// Gives a key its value: "caution" "85", "color" "#8fd694", "text.size" "22". Taken as TOML if that fits the key,
  /// else as a text. A cell that is to be shown in another way ("as" "ring") loses what only the old way has.
  void set(std::string_view part, std::string_view key, std::string_view value);

  /// Removes a key, so that its default counts.
  void unset(std::string_view part, std::string_view key);

  /// A new row with these readings as cells, before the row of that number (from 1); the last one if empty. Without
  /// a label if that is empty.
  void add_row(std::string_view label, const std::vector<std::string>& readings,
               std::optional<std::size_t> before = {});

  /// A new cell in a row, before the cell of that number; the last one if empty.
  void add_cell(std::string_view row, std::string_view reading, std::optional<std::size_t> before = {});

  /// A new pin with "text", "reading", "box" or "picture" and its value.
  void add_pin(double x, double y, std::string_view what, std::string_view value);

  void remove(std::string_view part);

  /// A row or a pin to the place of that number; a cell to a number in its row ("2"), to the end of another ("CPU"), or
  /// to a number there ("CPU/1").
  void move(std::string_view part, std::string_view to);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// What FaceText calls a row (from 0): its label, or "row:N" if it has none or shares it.
[[nodiscard]] std::string part_name(const Face& face, std::size_t row);

}  // namespace idlemeter
