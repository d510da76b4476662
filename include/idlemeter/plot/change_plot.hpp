// Idle Meter: the readings that changed the most, over time.
#pragma once

#include "idlemeter/insight/change_subject.hpp"
#include "idlemeter/insight/changes.hpp"
#include "idlemeter/plot/plot.hpp"

namespace idlemeter {

/// The frame rate and what changed the most at each of the foremost moments, which are marked: up to five panels.
/// `columns`: of pixels. Throws Error if nothing changed.
[[nodiscard]] Plot change_plot(const Changes& changes, const ChangeSubject& subject, std::size_t columns = 1280);

}  // namespace idlemeter
