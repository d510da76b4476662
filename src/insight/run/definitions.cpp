#include "idlemeter/insight/definitions.hpp"

#include <fmt/format.h>

namespace idlemeter {
namespace {

constexpr Definition kDefinitions[] = {
    {"Frame time", "The time between two presents of the game, to the nanosecond, on the monotonic clock."},
    {"Average frame rate", "Frames over the time they took."},
    {"1% low, 0.1% low",
     "The rate of the slowest 1 % or 0.1 % of the frames: their number over the sum of their times (mean of the "
     "slowest), unless the figure's name says otherwise. * marks one with too few frames for its share."},
    {"Percentile", "Of frame times, by linear interpolation (Hyndman and Fan, type 7); the median is the 50th."},
    {"Stutter",
     "A frame longer than both twice the median of the second around it, and that median plus 8 ms. Time lost is what "
     "it took beyond the median. Stutters less than half a second apart are one hitch."},
    {"Limited by",
     "Per second of play, by the median of GPU work over frame time: graphics card from 95 %, processor under 80 %, "
     "mixed in between; rate cap if frame times hardly vary and the GPU has time left. Without GPU times by the GPU's "
     "load."},
};

}  // namespace

std::span<const Definition> figure_definitions() { return kDefinitions; }

std::string comparison_definition(double confidence) {
  return fmt::format(
      "A run is the unit. Means are geometric (arithmetic of figures that can be 0), the spread is the standard "
      "deviation from run to run, differences are of the means to the base's with {:g} % intervals (Welch 1947). “No "
      "difference seen” means that the interval leaves no room for one that matters; “too few runs to tell” is said "
      "otherwise.",
      100 * confidence);
}

std::string_view advice_on(DoubtRule rule) {
  switch (rule) {
    case DoubtRule::empty:
      return "Record while the game presents frames; a loading screen may present none.";
    case DoubtRule::too_short:
      return "Record 30 s or longer, better a minute.";
    case DoubtRule::few_frames:
      return "Record longer: a low at 0.1 % needs 1,000 frames at least.";
    case DoubtRule::unfinished:
      return "Record it again; what is there can be read, but the end is missing.";
    case DoubtRule::game_crashed:
      return "Look into the crash first; the last seconds before it may be unusual.";
    case DoubtRule::store_failed:
      return "Make room on the disk, check the store, and record it again.";
    case DoubtRule::frames_lost:
      return "The figures leave the lost frames out: close what keeps the disk or the processor busy, and record "
             "again.";
    case DoubtRule::loading:
      return "Leave loading screens out of the figures, or record a stretch without one.";
    case DoubtRule::capped:
      return "Turn vertical sync and limits of the rate off to see what the machine can do.";
    case DoubtRule::other_load:
      return "Close other programs, and record it again.";
    case DoubtRule::warming_up:
      return "Play for some minutes before you record, so that temperatures and clocks settle.";
    case DoubtRule::throttled:
      return "See to the cooling or the power limit; otherwise compare only with runs that were throttled alike.";
    case DoubtRule::size_changed:
      return "Record it again with one size of the picture.";
  }
  return "";
}

}  // namespace idlemeter
