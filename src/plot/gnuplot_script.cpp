#include "plot/gnuplot_script.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <vector>

#include "idlemeter/base/text.hpp"

namespace idlemeter::plot {
namespace {

namespace fs = std::filesystem;

// Okabe & Ito's colours, which colour-blind readers can tell apart; lighter ones for a dark background.
constexpr const char* kBright[] = {"#0072b2", "#d55e00", "#009e73", "#cc79a7", "#8a6d00", "#56b4e9"};
constexpr const char* kDark[] = {"#56b4e9", "#e69f00", "#2fc79d", "#e39ac4", "#f0e442", "#7f9bff"};

struct Look {
  const char *ground, *text, *grid, *mark;
};
constexpr Look kLooks[] = {{"#ffffff", "#222222", "#d9d9d9", "#777777"}, {"#10141f", "#dfe5ee", "#323a4b", "#9aa5b8"}};

const char* color_of(std::size_t place, bool dark) { return (dark ? kDark : kBright)[place % std::size(kBright)]; }

/// A text in double quotes, where gnuplot gives three characters a meaning of their own; a backquote would start a
/// program.
std::string quoted(const std::string& text) {
  std::string safe;
  for (const char c : printable(text))
    safe +=
        c == '"' || c == '\\' || c == '`' ? fmt::format("\\{:03o}", static_cast<unsigned char>(c)) : std::string(1, c);
  return "\"" + safe + "\"";
}

std::string data_of(const std::vector<PlotPoint>& points) {
  std::string data;
  for (const PlotPoint& point : points) fmt::format_to(std::back_inserter(data), "{:.6g} {:.6g}\n", point.x, point.y);
  return data + "e\n";
}

/// What is plotted of a curve, with its data.
struct Parts {
  std::vector<std::string> styles;
  std::string data;
};

void add_to(Parts& parts, const Curve& curve, bool dark) {
  const std::string color = fmt::format("lc rgb '{}'", color_of(curve.color, dark));
  const std::string title = curve.title.empty() ? "notitle" : "title " + quoted(curve.title);
  const auto add = [&](const std::string& style) {
    parts.styles.push_back("'-' " + style);
    parts.data += data_of(curve.points);
  };
  switch (curve.look) {
    case Curve::Look::line:
      return add(fmt::format("with lines lw 2 {} {}", color, title));
    case Curve::Look::thin_line:
      return add(fmt::format("with lines lw 1 {} {}", color, title));
    case Curve::Look::dots:
      return add(fmt::format("with points pt 9 ps 1.1 {} {}", color, title));
    case Curve::Look::steps:
      break;
  }
  add(fmt::format("with fillsteps {} fs transparent solid 0.25 noborder notitle", color));
  add(fmt::format("with steps lw 1.5 {} {}", color, title));
}

/// 1, 2 or 5 times a power of ten that puts about that many ticks into the range.
double step_of(double range, double ticks) {
  const double rough = range / ticks, power = std::pow(10, std::floor(std::log10(rough)));
  for (const double factor : {1.0, 2.0, 5.0}) {
    if (rough <= factor * power) return factor * power;
  }
  return 10 * power;
}

/// As many ticks as there is room for; the range begins and ends at one.
std::string y_axis_of(const Panel& panel, double height) {
  double least = panel.from_zero ? 0 : HUGE_VAL, most = panel.from_zero ? 0 : -HUGE_VAL;
  for (const Curve& curve : panel.curves) {
    for (const PlotPoint& point : curve.points) {
      least = std::min(least, point.y);
      most = std::max(most, point.y);
    }
  }
  constexpr double kPixels = 36;  // for each tick
  if (!(most >= least)) return "set yrange [0:1]\nset ytics autofreq\n";
  const double step = step_of(std::max(most - least, 1e-6 + 1e-3 * std::abs(most)), std::max(2.0, height / kPixels));
  const double from = std::floor(least / step) * step, to = std::ceil(most / step + 1e-9) * step;
  return fmt::format("set yrange [{}:{}]\nset ytics {}\n", from, to > from ? to : from + step, step);
}

/// Of any plot: its size and look.
template <typename AnyPlot>
std::string terminal_of(const AnyPlot& plot, const fs::path& file) {
  const char* ground = kLooks[plot.dark ? 1 : 0].ground;
  if (file.extension() == ".svg")
    return fmt::format("set terminal svg size {},{} font 'sans,14' background rgb '{}' noenhanced\n", plot.width,
                       plot.height, ground);
  return fmt::format("set terminal pngcairo size {},{} font 'sans,11' background rgb '{}' noenhanced\n", plot.width,
                     plot.height, ground);
}

/// How many lines the key above the first panel takes.
int key_rows(const Plot& plot) {
  constexpr int kEntry = 400;  // pixels
  const auto& curves = plot.panels.front().curves;
  const auto entries = static_cast<int>(
      std::count_if(curves.begin(), curves.end(), [](const Curve& curve) { return !curve.title.empty(); }));
  const int columns = std::max(1, plot.width / kEntry - 1);
  return std::max(1, (entries + columns - 1) / columns);
}

/// Only the lowest panel says what its ticks are.
std::string ticks_of(const Plot& plot, bool with_texts) {
  std::vector<std::string> ticks;
  for (const Tick& tick : plot.x_ticks)
    ticks.push_back(fmt::format("{} {}", with_texts ? quoted(tick.text) : "''", tick.at));
  return fmt::format("set xtics ({})\n", fmt::join(ticks, ", "));
}

/// Where a panel is, as shares of the picture's height.
struct Place {
  double upper = 1, lower = 0;
};

/// One above the other, below the title and the key and above the x axis.
std::vector<Place> places_of(const Plot& plot) {
  const double height = plot.height;
  const double top = 1 - (58.0 + 20.0 * key_rows(plot)) / height, bottom = 64.0 / height, gap = 40.0 / height;
  const double room = top - bottom - gap * static_cast<double>(plot.panels.size() - 1);
  double weights = 0;
  for (const Panel& panel : plot.panels) weights += panel.weight;
  std::vector<Place> places;
  double upper = top;
  for (const Panel& panel : plot.panels) {
    places.push_back({upper, upper - room * panel.weight / weights});
    upper = places.back().lower - gap;
  }
  return places;
}

std::string head_of(const Plot& plot, const Look& look, const fs::path& file) {
  std::string s = "set encoding utf8\n" + terminal_of(plot, file);
  s += fmt::format("set output {}\n", quoted(file.string()));
  s += fmt::format("set border 3 lc rgb '{0}'\nset tics nomirror textcolor rgb '{1}'\nset grid lc rgb '{2}' lt 1\n",
                   look.mark, look.text, look.grid);
  // The key lies above the panels, beside their titles: nothing is under it.
  s += fmt::format("set key at graph 1, graph 1.01 right bottom horizontal textcolor rgb '{}' samplen 2\n", look.text);
  s += "set lmargin 11\nset rmargin 3\n";
  return s + fmt::format("set xrange [{}:{}]\nset multiplot\n", plot.x_from, plot.x_to);
}

std::string axes_of(const Plot& plot, std::size_t i, const Place& place, const Look& look) {
  const Panel& panel = plot.panels[i];
  const bool is_last = i + 1 == plot.panels.size();
  std::string s = fmt::format("set tmargin at screen {}\nset bmargin at screen {}\n", place.upper, place.lower);
  if (!plot.x_ticks.empty()) s += ticks_of(plot, is_last);
  s += is_last ? fmt::format("set format x\nset xlabel {} textcolor rgb '{}'\n", quoted(plot.x_title), look.text)
               : "set format x ''\nunset xlabel\n";
  s += fmt::format("set ylabel {} textcolor rgb '{}'\n", quoted(panel.y_title), look.text);
  return s + y_axis_of(panel, (place.upper - place.lower) * plot.height);
}

/// The lines of the plot's marks, with their texts in the first panel.
std::string marks_of(const Plot& plot, bool with_texts, const Look& look) {
  std::string s;
  for (const PlotMark& mark : plot.marks) {
    s += fmt::format("set arrow from first {0}, graph 0 to first {0}, graph 1 nohead dt 2 lc rgb '{1}'\n", mark.at,
                     look.mark);
    if (with_texts)
      s += fmt::format("set label {} at first {}, graph 0.93 offset 0.5,0 textcolor rgb '{}'\n", quoted(mark.text),
                       mark.at, look.text);
  }
  return s;
}

/// The title of the plot and the texts of marks stand in the first panel.
std::string texts_of(const Plot& plot, std::size_t i, const Look& look) {
  std::string s = "unset arrow\nunset label\n";
  if (i == 0)
    s += fmt::format("set label {} at screen 0.5, screen {} center font ',14' textcolor rgb '{}'\n", quoted(plot.title),
                     1 - 22.0 / plot.height, look.text);
  s += marks_of(plot, i == 0, look);
  if (!plot.panels[i].title.empty())
    s += fmt::format("set label {} at graph 0, graph 1 offset 0,0.7 textcolor rgb '{}'\n", quoted(plot.panels[i].title),
                     look.text);
  return s;
}

std::string curves_of(const Panel& panel, bool dark) {
  Parts parts;
  for (const Curve& curve : panel.curves) {
    if (!curve.points.empty()) add_to(parts, curve, dark);
  }
  if (parts.styles.empty()) parts.styles.emplace_back("NaN notitle");
  return fmt::format("plot {}\n{}", fmt::join(parts.styles, ", "), parts.data);
}

/// Where the bars of all panels are, in shares of the picture.
struct BarGrid {
  std::size_t rows, columns;
  double key_row, top, bottom;

  explicit BarGrid(const BarPlot& plot)
      : rows(plot.panels.size() > 3 ? 2 : 1),
        columns((plot.panels.size() + rows - 1) / rows),
        key_row(24.0 / plot.height),
        top(1 - key_row * (static_cast<double>(plot.groups.size()) + 0.8)),
        bottom(44.0 / plot.height) {}

  [[nodiscard]] std::string margins(const BarPlot& plot, std::size_t i) const {
    const double row_height = (top - bottom) / static_cast<double>(rows), width = 1.0 / static_cast<double>(columns);
    const double left = static_cast<double>(i % columns) * width;
    const double upper = top - static_cast<double>(i / columns) * row_height;
    return fmt::format(
        "set lmargin at screen {}\nset rmargin at screen {}\nset tmargin at screen {}\n"
        "set bmargin at screen {}\nunset label\nunset arrow\n",
        left + 64.0 / plot.width, left + width - 16.0 / plot.width, upper - 56.0 / plot.height,
        upper - row_height + 16.0 / plot.height);
  }
};

std::string head_of(const BarPlot& plot, const Look& look, const fs::path& file) {
  std::string s = "set encoding utf8\n" + terminal_of(plot, file);
  s += fmt::format("set output {}\nset multiplot\nset border 2 lc rgb '{}'\n", quoted(file.string()), look.mark);
  s += fmt::format("set tics nomirror textcolor rgb '{}'\nset grid ytics lc rgb '{}' lt 1\nunset xtics\nunset key\n",
                   look.text, look.grid);
  return s + fmt::format("set boxwidth 0.7\nset style fill solid 1 noborder\nset xrange [0.4:{}]\n",
                         static_cast<double>(plot.groups.size()) + 0.6);
}

/// The groups' names, the note and the title.
std::string texts_of(const BarPlot& plot, const BarGrid& grid, const Look& look) {
  std::string s;
  for (std::size_t g = 0; g < plot.groups.size(); ++g)
    s += fmt::format("set label {} at screen {}, screen {} textcolor rgb '{}' font ',13'\n",
                     quoted("■ " + cut_to(printable(plot.groups[g]), 100)), 24.0 / plot.width,
                     1 - grid.key_row * (static_cast<double>(g) + 0.8), color_of(g, plot.dark));
  return s + fmt::format(
                 "set label {} at screen 0.5, screen {} center textcolor rgb '{}'\n"
                 "set label {} at screen {}, screen {} right font ',14' textcolor rgb '{}'\n",
                 quoted(plot.note), 18.0 / plot.height, look.text, quoted(plot.title), 1 - 24.0 / plot.width,
                 1 - 22.0 / plot.height, look.text);
}

std::string bars_of(const BarPanel& panel, bool dark, const Look& look) {
  double most = 0, least = 0;
  for (const Bar& bar : panel.bars) {
    most = std::max(most, bar.high);
    least = std::min(least, bar.low);
  }
  std::string s = fmt::format("set yrange [{}:{}]\n", least, most > least ? most : least + 1), data;
  std::vector<std::string> styles;
  for (std::size_t g = 0; g < panel.bars.size(); ++g) {
    const Bar& bar = panel.bars[g];
    styles.push_back(fmt::format("'-' with boxes lc rgb '{}'", color_of(g, dark)));
    data += fmt::format("{} {:.6g}\ne\n", g + 1, bar.value);
    s += fmt::format(
        "set arrow from first {0}, first {1:.6g} to first {0}, first {2:.6g} heads size screen 0.004,90 front lw 2 lc "
        "rgb '{3}'\n",
        g + 1, bar.low, bar.high, look.text);
    s += fmt::format("set label {} at first {}, first {:.6g} center offset 0,0.7 textcolor rgb '{}'\n",
                     quoted(bar.text), g + 1, bar.high, look.text);
  }
  return s + fmt::format("plot {}\n{}", fmt::join(styles, ", "), data);
}

}  // namespace

std::string script_of(const Plot& plot, const fs::path& file) {
  const Look& look = kLooks[plot.dark ? 1 : 0];
  const std::vector<Place> places = places_of(plot);
  std::string s = head_of(plot, look, file);
  for (std::size_t i = 0; i < plot.panels.size(); ++i)
    s += axes_of(plot, i, places[i], look) + texts_of(plot, i, look) + curves_of(plot.panels[i], plot.dark);
  return s + "unset multiplot\nset output\n";
}

std::string script_of(const BarPlot& plot, const fs::path& file) {
  const Look& look = kLooks[plot.dark ? 1 : 0];
  const BarGrid grid(plot);
  std::string s = head_of(plot, look, file);
  for (std::size_t i = 0; i < plot.panels.size(); ++i) {
    s += grid.margins(plot, i) + (i == 0 ? texts_of(plot, grid, look) : "");
    s += fmt::format("set label {} at graph 0.5, graph 1 center offset 0,2.2 textcolor rgb '{}'\n",
                     quoted(plot.panels[i].title), look.text);
    s += bars_of(plot.panels[i], plot.dark, look);
  }
  return s + "unset multiplot\nset output\n";
}

}  // namespace idlemeter::plot
