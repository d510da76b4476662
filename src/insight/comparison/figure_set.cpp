#include "idlemeter/insight/figure_set.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/stutter.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "readings/latency_readings.hpp"
#include "readings/statistic_values.hpp"

namespace idlemeter {
namespace {

struct OfStutters {
  std::string_view id;
  const char* title;
  const char* brief;
  Unit unit;
  int digits;
  double (*value)(const Stutters& stutters);
};

constexpr OfStutters kOfStutters[] = {{"stutter.count", "Stutters", "Stutters", Unit::none, 0,
                                       [](const Stutters& all) { return static_cast<double>(all.frames.size()); }},
                                      {"stutter.lost", "Time lost to stutters", "Lost", Unit::second, 2,
                                       [](const Stutters& all) { return in_seconds(all.lost); }},
                                      {"stutter.share", "Share of the time in stuttering frames", "Stutter",
                                       Unit::percent, 1, [](const Stutters& all) { return 100 * all.share; }}};

const OfStutters* of_stutters(std::string_view id) {
  const auto* found =
      std::find_if(std::begin(kOfStutters), std::end(kOfStutters), [&](const OfStutters& one) { return one.id == id; });
  return found == std::end(kOfStutters) ? nullptr : found;
}

/// What a reading is that the run lacks: the latencies are known, of others only the id.
ReadingInfo info_without(const std::string& reading) {
  for (const ReadingInfo& info : readings::newest_latencies()) {
    if (info.id == reading) return info;
  }
  ReadingInfo info;
  info.title = info.brief = reading;
  return info;
}

[[noreturn]] void refuse(const std::string& id) {
  const std::vector<std::string_view> known = {"frame.average", "frame.min",     "frame.max",    "frame.median",
                                               "frame.low@1%",  "frame.pacing",  "frame.count",  "frame.span",
                                               "stutter.count", "stutter.share", "stutter.lost", "frame.latency"};
  throw Error(Error::Code::invalid, fmt::format("'{}' isn't a figure of a run{}", id, did_you_mean(id, known)), "",
              "name statistics like frame.low@1%, and readings like gpu.power or \"gpu.temp most\"");
}

}  // namespace

FigureSet::FigureSet(const std::vector<std::string>& ids) {
  for (const std::string& id : ids) all_.push_back(read(id));
  if (all_.empty()) throw Error(Error::Code::invalid, "a set of figures has at least one");
}

FigureSet FigureSet::named(const std::string& choice, const std::map<std::string, std::vector<std::string>>& saved) {
  if (const auto found = saved.find(choice); found != saved.end()) return FigureSet(found->second);
  if (choice.find_first_of(".,") != std::string::npos) return FigureSet(split(choice, ','));
  std::vector<std::string_view> names;
  for (const auto& [name, ids] : saved) names.push_back(name);
  throw Error(Error::Code::not_found,
              fmt::format("no set of figures is called '{}'{}", choice, did_you_mean(choice, names)), "",
              "save one under [figures] in the settings, or name figures, like frame.average,frame.low@1%");
}

namespace {

/// A run may have the reading that a figure is of: those of frames are known, and figures of stutters too; others are a
/// machine's.
bool may_be_there(const std::string& reading, const std::string& figure) {
  const auto latencies = readings::newest_latencies();
  if (figure.starts_with("frame."))
    return std::any_of(latencies.begin(), latencies.end(), [&](const ReadingInfo& info) { return info.id == reading; });
  return reading.find('.') != std::string::npos && (!figure.starts_with("stutter.") || of_stutters(figure) != nullptr);
}

}  // namespace

FigureSet::One FigureSet::read(const std::string& id) {
  One one{.id = id, .statistic = frame_statistic(id)};
  if (one.statistic && !one.statistic->span) return one;
  const std::size_t blank = std::min(id.find(' '), id.size());
  one.reading = id.substr(0, blank);
  const std::string take = id.substr(std::min(blank + 1, id.size()));
  if (take == "least") one.take = Take::least;
  if (take == "most") one.take = Take::most;
  const bool is_taken = take.empty() || take == "mean" || one.take != Take::mean;
  if (one.statistic || !may_be_there(one.reading, id) || !is_taken) refuse(id);
  return one;
}

SummaryRequest FigureSet::request() const {
  SummaryRequest request{{}, {}, {}};
  for (const One& one : all_) {
    if (one.statistic) readings::add_to(request, *one.statistic);
  }
  return request;
}

namespace {

RunFigure figure_of(const FrameStatistic& statistic, const std::string& id, const RunInsight& run) {
  RunFigure figure{readings::info_of(statistic, "")};
  figure.info.id = id;
  if (figure.info.unit == Unit::millisecond) figure.info.digits = 2;  // there is time to read them
  figure.value = number(readings::value_of(statistic, run.summary));
  figure.is_uncertain = figure.value && readings::is_uncertain(statistic, run.summary);
  return figure;
}

RunFigure figure_of(const OfStutters& stutters, const std::string& id, const RunInsight& run) {
  RunFigure figure;
  figure.info.id = id;
  figure.info.title = stutters.title;
  figure.info.brief = stutters.brief;
  figure.info.unit = stutters.unit;
  figure.info.digits = stutters.digits;
  if (run.summary.frames > 0) figure.value = stutters.value(run.stutters);
  return figure;
}

}  // namespace

std::vector<std::string> FigureSet::readings() const {
  std::vector<std::string> ids;
  for (const One& one : all_) {
    if (!one.reading.empty()) ids.push_back(one.reading);
  }
  return ids;
}

RunFigure FigureSet::figure(const One& one, const RunInsight& run) {
  if (one.statistic) return figure_of(*one.statistic, one.id, run);
  if (const OfStutters* stutters = of_stutters(one.id)) return figure_of(*stutters, one.id, run);
  const ReadingInsight* reading = run.reading(one.reading);
  RunFigure figure{reading == nullptr ? info_without(one.reading) : reading->info};
  figure.info.id = one.id;
  if (one.take != Take::mean) {
    const char* word = one.take == Take::least ? ", least" : ", most";
    figure.info.title += word;
    figure.info.brief += word;
  }
  if (reading == nullptr) return figure;
  const SeriesSummary& all = reading->all;
  figure.value = one.take == Take::mean ? all.mean : one.take == Take::least ? all.least : all.most;
  return figure;
}

std::vector<RunFigure> FigureSet::of(const RunInsight& run) const {
  std::vector<RunFigure> figures;
  for (const One& one : all_) figures.push_back(figure(one, run));
  return figures;
}

std::vector<std::vector<RunFigure>> FigureSet::of(const std::vector<RunInsight>& runs) const {
  std::vector<std::vector<RunFigure>> all;
  for (const RunInsight& run : runs) all.push_back(of(run));
  for (std::size_t i = 0; i < all_.size(); ++i) {
    const auto known = std::find_if(all.begin(), all.end(), [&](const auto& figures) { return figures[i].value; });
    if (known == all.end()) continue;
    for (auto& figures : all) {
      if (!figures[i].value) figures[i].info = (*known)[i].info;
    }
  }
  return all;
}

}  // namespace idlemeter
