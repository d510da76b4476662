// Idle Meter: changing a face file step by step, with a way back.
#pragma once

#include <cstddef>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_text.hpp"

namespace idlemeter {

/// Lines of a text that a change removed or added, in their order.
struct ChangedLines {
  struct Line {
    bool is_added = false;  ///< else removed
    std::string text;
  };
  std::size_t at = 1;  ///< the line of the new text that they begin at, from 1
  std::vector<Line> lines;
};

/// The difference of two texts, each stretch by itself (the longest common subsequence). O(lines * lines).
[[nodiscard]] std::vector<ChangedLines> changed_lines(const std::string& before, const std::string& after);

/// What to add to a face.
struct FaceAddition {
  std::vector<std::string> readings = {};
  std::vector<std::pair<std::string, std::string>> keys = {};  ///< of each of them: "as" "trace"
  std::string row = {};                                        ///< to this row, or as a new one with this label
  std::optional<std::size_t> before = {};                      ///< the row or cell of that number, from 1
  std::optional<std::pair<double, double>> at = {};            ///< as pins there, below each other
  std::string text = {};                                       ///< a pin with this text, too
};

/// Throws Error as FaceText does, or if keys come without a reading.
void add_to(FaceText& face, const FaceAddition& what);

/// A part of a face, under the name that FaceText knows it by.
struct FacePart {
  std::string name;
  std::string reading = {};  ///< of a cell or a pin with one
  std::string about = {};    ///< "trace, 'hot', caution 85"; a row's label if its name is another
  bool is_cell = false;
};

/// Rows with their cells, then pins.
[[nodiscard]] std::vector<FacePart> face_parts(const Face& face);

/// A face file and its changes, which can be undone. Throws Error as FaceFile does.
class FaceEditor {
 public:
  struct Change {
    std::string before, after;  ///< the whole text
  };

  explicit FaceEditor(std::filesystem::path file) : file_(std::move(file)) {}

  /// Changes the file in one step and keeps the text that was there; nothing is written if nothing changes. Throws
  /// Error as the change does, and leaves the file as it was.
  Change edit(const std::function<void(FaceText&)>& change) const;

  /// Throws Error if there is nothing to undo or redo.
  Change undo() const;
  Change redo() const;

 private:
  [[nodiscard]] Change step(bool forward) const;

  std::filesystem::path file_;
};

}  // namespace idlemeter
