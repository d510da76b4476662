// Idle Meter: plots as a model, independent of what draws them.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#include "idlemeter/insight/plot_data.hpp"

namespace idlemeter {

struct Curve {
  std::string title = {};  ///< in the key; empty: not there
  std::vector<PlotPoint> points;
  std::size_t color = 0;  ///< 0, 1, …: colour-blind readers can tell them apart
  enum class Look : std::uint8_t { line, thin_line, steps, dots } look = Look::line;
};

/// One of the plots that lie above each other and share their x axis.
struct Panel {
  std::string title;    ///< above it
  std::string y_title;  ///< the unit
  std::vector<Curve> curves;
  double weight = 1;      ///< of its height
  bool from_zero = true;  ///< the y axis begins at 0
};

struct Tick {
  double at = 0;
  std::string text;
};

/// A line through all panels.
struct PlotMark {
  double at = 0;  ///< on the x axis
  std::string text;
};

struct Plot {
  std::string title, x_title;
  std::vector<Panel> panels;
  std::vector<Tick> x_ticks = {};  ///< empty: chosen when it is drawn
  double x_from = 0, x_to = 1;
  std::vector<PlotMark> marks = {};
  int width = 1280, height = 720;
  bool dark = false;
};

struct Bar {
  double value = 0, low = 0, high = 0;  ///< with the interval
  std::string text = {};                ///< above it
};

/// One figure of all groups.
struct BarPanel {
  std::string title = {};
  std::vector<Bar> bars = {};  ///< as many as groups
};

struct BarPlot {
  std::string title = {};
  std::vector<std::string> groups = {};
  std::vector<BarPanel> panels = {};
  std::string note = {};  ///< below
  int width = 1280, height = 720;
  bool dark = false;
};

}  // namespace idlemeter
