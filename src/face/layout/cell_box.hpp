// One cell: how large it is, and the shapes that it becomes.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter::face {

/// What all cells of a face have in common while it is laid out on one picture.
struct Look {
  /// `enlarge`: a factor for the box and all in it, see needed().
  Look(const Face& face, int picture_height, const Snapshot& values, const History& history, TextMeasure& measure,
       double enlarge = 1);

  /// How much larger the box has to be for its text to have the face's least size; 1 if it has.
  static double needed(const Face& face, int picture_height);

  [[nodiscard]] double em(double share) const;  ///< a share of the text size, in whole pixels
  [[nodiscard]] double line_height() const;
  [[nodiscard]] double width(const std::string& text, const TextStyle& style) const;
  [[nodiscard]] TextStyle with_size(double size, bool bold) const { return {face.text.font, size, bold}; }

  const Face& face;
  const Snapshot& values;
  const History& history;
  TextMeasure& measure;
  double scale;  ///< pixels for 1/1080 of the picture's height
  double unit;   ///< the same with the face's own scale: what lengths inside the box are measured in
  double size;   ///< of text, pixels
  TextStyle value_style, unit_style, label_style;
  TextExtent line;
  std::string recording;  ///< "on", "held", "off"
};

/// A cell measured, with the values of now.
struct CellBox {
  const Cell* cell = nullptr;
  std::string id;                     ///< of the reading, with its span
  const ReadingInfo* info = nullptr;  ///< nullptr if no source has the reading
  std::optional<double> shown;        ///< the value in the shown unit
  std::string title, value, unit;     ///< as written
  bool provisional = false;           ///< rests on too few frames
  bool recorded = false;              ///< a statistic of the recording
  bool marked = false;                ///< has the recording's mark: the first of its row that is recorded
  bool fills = false;                 ///< a trace that may become wider
  double title_width = 0, value_width = 0, unit_width = 0;
  double text_width = 0;                ///< of all three
  double figure_width = 0, height = 0;  ///< of a trace, a ring or a reel; a row is at least as high
  double width = 0;
};

CellBox measure_cell(const Look& look, const Cell& cell);

/// The values that a trace covers, in the shown unit.
struct TraceRange {
  double low = 0, high = 0;
};

/// A line over time, placed in its rectangle.
struct Trace {
  TraceRange range;
  std::vector<Point> points;  ///< of the last seconds from left to right, the newest at the right edge

  /// A stretch whose values are beyond the range.
  struct Clipped {
    double from, to;
    bool above;
  };
  std::vector<Clipped> clipped;

  /// Notes on which side of the range the next point is: -1, 0, 1. Call before it is added.
  void clip(double x, int side);

 private:
  int clipping_ = 0;
};

/// The box's cell is a trace.
Trace trace_of(const Look& look, const CellBox& box, const Rect& rect);

/// Gives the recording's mark to the first recorded cell of a row.
void mark_once(std::span<CellBox> cells);

/// Where the value of a ring or a reel is in its range, 0 to 1; 0 if it is missing, or of another cell.
double share_of_range(const CellBox& box);

/// The mark of a recording around that point: a dot while it is in progress, a square while its figures are held.
void add_mark(const Look& look, double x, double y, std::vector<Shape>& shapes);

/// The colour that warns, or the cell's, or the device's, or the face's.
Color value_color(const Look& look, const CellBox& box);

/// Adds the cell's shapes: from x on, in a row that begins at y and is `height` high, with its text on `baseline`.
/// `accent` is the colour of its row or device.
void draw_cell(const Look& look, const CellBox& box, double x, double y, double height, double baseline, Color accent,
               std::vector<Shape>& shapes);

}  // namespace idlemeter::face
