#include "meter/recording.hpp"

#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/background_recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "meter/game.hpp"

namespace idlemeter::meter {
namespace {

RunDetails details_of(const Game& game, const Snapshot& values, const RunNotes& notes) {
  RunDetails details;
  details.game = game.name();
  details.settings = notes.settings;
  details.note = notes.note;
  details.tags = notes.tags;
  details.facts = {{"Picture", game.picture()}, {"Graphics API", game.attachment().api()}};
  const std::pair<const char*, const char*> kFacts[] = {{"Processor", "cpu.name"}, {"GPU", "gpu.name"}};
  for (const auto& [name, id] : kFacts) {
    const Snapshot::Entry entry = values.find(id);
    const auto* text = entry.value == nullptr ? nullptr : std::get_if<std::string>(entry.value);
    if (text != nullptr) details.facts[name] = *text;
  }
  return details;
}

}  // namespace

Recording::Recording(const std::filesystem::path& store, Game& game, const Snapshot& values, const RunNotes& notes,
                     std::optional<Moment> until, BackgroundRecorder::Finished finished)
    : game_(game), recorder_(store, details_of(game, values, notes), {}, std::move(finished)), until_(until) {}

bool Recording::is_done() const {
  const auto phase = recorder_.state().phase;
  return phase == BackgroundRecorder::Phase::finished || phase == BackgroundRecorder::Phase::failed;
}

}  // namespace idlemeter::meter
