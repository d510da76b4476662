// Idle Meter: what runs and comparisons say, in words for people.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/difference.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/frame_log.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// A moment of a run: "0:35.1"
[[nodiscard]] std::string moment_words(Moment at);

/// The same in whole seconds, also of hours: "2:05", "1:02:05"
[[nodiscard]] std::string second_words(Moment at);

/// A run among others: "run 4, Medium, Quality", with its settings.
[[nodiscard]] std::string run_words(const RunInfo& run);

/// What was added to a store: "3 runs added as 4 to 6, 2 already here, the rest of 1 added; 6 isn't finished: add it
/// again later"
[[nodiscard]] std::string added_words(const Store::Added& added);

/// How a frame log was understood, and which of its lines couldn't be read: a line, or several.
[[nodiscard]] std::string frame_log_words(const FrameLog& log, const std::string& name);

/// A frame log's run: "300 frames in 5.1 s (2)"
[[nodiscard]] std::string frame_count_words(const LoggedFrames& run);

// Of one run; empty if it doesn't have what they are about.

/// "12 frames in 3 hitches: 0.42 s lost, 0.7 % of the time; the worst 69.9 ms at 0:12.3", "none"
[[nodiscard]] std::string stutter_words(const RunInsight& run);

/// "1 at 0:04.2, 2: boss fight at 0:31.0", at most `most` of them
[[nodiscard]] std::string mark_words(const RunInsight& run, std::size_t most = 6);

/// "graphics card 92 %, processor 8 % (by GPU times)"
[[nodiscard]] std::string limit_words(const RunInsight& run);

/// "GPU 74 °C (most 76), hotspot 94 (most 95)"
[[nodiscard]] std::string heat_words(const RunInsight& run);

/// "GPU 2450 MHz (first 20 s 2480, last 2410), processor 5100 MHz"
[[nodiscard]] std::string clock_words(const RunInsight& run);

/// "GPU 197.1 W (most 210.4), processor 59.9 W (most 71.2), 0.60 frames a joule of both"
[[nodiscard]] std::string power_words(const RunInsight& run);

/// What else was unusual at a hitch: "disk reads 61 MB/s (usually 6.0 MB/s), …", at most `most`.
[[nodiscard]] std::string oddity_words(const HitchInsight& hitch, std::size_t most = 2);

// Of what changed.

/// "frame rate fell from 118 to 91 FPS", "GPU temperature began to rise by 3.1 °C a minute", "frame time varied more:
/// by 0.31 ms, before by 0.09"
[[nodiscard]] std::string change_words(const ReadingChange& change);

/// A sentence or two: "At 20:14 frame rate fell from 118 to 91 FPS; 3 s before, GPU core clock fell from 2450 to 1980
/// MHz. As before: GPU load." At most `most` readings, and how many more there are.
[[nodiscard]] std::string event_words(const ChangeEvent& event, std::size_t most = 5);

/// "At 3:20 GPU power was 260.1 W for 1 s, usually 100.2 W (a spike)"
[[nodiscard]] std::string oddity_words(const OddStretch& odd);

// Of a figure that was compared.

/// A title within a sentence: "average frame rate", but "GPU power".
[[nodiscard]] std::string in_sentence(const std::string& title);

/// "124.7 ± 0.8 %": the mean and the spread from run to run; "–" without a value.
[[nodiscard]] std::string mean_words(const ComparedFigure& figure, const ComparedGroup& group);

/// A difference, or an end of its interval: "+36.8 %", "-12.5" in the figure's unit.
[[nodiscard]] std::string amount_words(const ReadingInfo& figure, const Difference& difference, double value);

/// "+35.0 % to +38.6 %"; empty without an interval.
[[nodiscard]] std::string interval_words(const ReadingInfo& figure, const Difference& difference);

/// "faster" or "slower" of rates, "higher" or "lower" of other figures, "no difference seen", "too small to
/// matter", "too few runs to tell; about 9 in each group would do"
[[nodiscard]] std::string verdict_words(const ReadingInfo& figure, const Difference& difference);

/// What a comparison says first, a sentence for each group but the base: "High against Ultra: average frame rate +36.8
/// %
/// (+35.0 % to +38.6 %), faster". None if its first figure has no values.
[[nodiscard]] std::vector<std::string> comparison_sentences(const Comparison& comparison);

/// A sentence for each figure with odd runs, and what the difference would be without them.
[[nodiscard]] std::vector<std::string> odd_run_words(const Comparison& comparison);

/// A sentence for each group and reason to doubt its runs: "High: 2 of 5 runs not warmed up (4, 5)".
[[nodiscard]] std::vector<std::string> doubt_words(const Comparison& comparison);

/// "geometric means", "arithmetic means" or "arithmetic means of those with a 0, else geometric ones": what the
/// figures' means are.
[[nodiscard]] std::string kind_of_means(const Comparison& comparison);

}  // namespace idlemeter
