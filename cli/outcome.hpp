// How a session of playing ends: what was seen, what was recorded, and the exit status.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/meter/recording_plan.hpp"
#include "idlemeter/runs/store.hpp"
#include "values.hpp"

namespace idlemeter::cli {

struct PlayOptions {
  std::string game_name, program_32_bit;  // the latter: one that was seen instead of the game's frames
  std::string face, settings, figures = "frame.average,frame.low@1%,frame.low@0.1%", store = usual_store();
  bool hidden = false, quiet = false, record = false, linked = false, above = false, take_over = false;
  RecordingPlan plan;
  bool end_game = false;
  int pid = 0;
  std::vector<std::string> game;
};

/// Whether the game is a 32-bit program, which can't load the probe.
bool starts_32_bit(const std::vector<std::string>& game);

/// Whether something is to be recorded without a key or a command.
bool is_planned(const PlayOptions& options);

/// What became of the recordings, as an exit status.
enum Outcome { kRecorded = 0, kFailed = 1, kIncomplete = 3, kNothingPresented = 4 };

/// Says what was seen and what became of recordings.
Outcome print_outcome(Meter& meter, const PlayOptions& options, const FigureSet& figures);

}  // namespace idlemeter::cli
