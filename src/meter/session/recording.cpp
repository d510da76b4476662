#include "meter/session/recording.hpp"

#include <fmt/format.h>

#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/background_recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "meter/entrance/game_facts.hpp"
#include "meter/session/game.hpp"

namespace idlemeter::meter {
namespace {

RunDetails details_of(const RunNotes& notes) {
  RunDetails details;
  details.settings = notes.settings;
  details.note = notes.note;
  details.tags = notes.tags;
  return details;
}

RunDetails details_of(const Game& game, const Snapshot& values, const RunNotes& notes) {
  RunDetails details = details_of(notes);
  details.game = game.name();
  details.facts = facts_of(game, values);
  return details;
}

std::uint64_t missed_by(const Game& game) { return game.lost() + game.refused(); }

}  // namespace

Recording::Recording(const std::filesystem::path& store, Game& game, const Snapshot& values, const RunNotes& notes,
                     std::optional<Moment> until, BackgroundRecorder::Finished finished)
    : game_(game),
      recorder_(store, details_of(game, values, notes), {}, std::move(finished), game.slow_facts()),
      until_(until),
      note_bytes_(notes.bytes()),
      lost_before_(missed_by(game)) {}

void Recording::add(const RunNotes& notes) {
  if (note_bytes_ + notes.bytes() > limits::kNoteBytes)
    throw Error(Error::Code::invalid,
                fmt::format("the notes of a run are limited to {} KiB together", limits::kNoteBytes >> 10), "",
                "nothing was added; shorten it");
  note_bytes_ += notes.bytes();
  recorder_.add(details_of(notes));
}

void Recording::note_lost() { recorder_.note_lost(missed_by(game_) - lost_before_); }

void Recording::finish(RunEnd end) {
  end_ = end;
  recorder_.finish(end, missed_by(game_) - lost_before_);
}

bool Recording::is_done() const {
  const auto phase = recorder_.state().phase;
  return phase == BackgroundRecorder::Phase::finished || phase == BackgroundRecorder::Phase::failed;
}

}  // namespace idlemeter::meter
