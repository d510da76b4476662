#include "idlemeter/runs/run_filter.hpp"

#include <algorithm>

#include "idlemeter/base/text.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {
namespace {

bool has(const std::string& text, const std::string& part) {
  return lower_case(text).find(lower_case(part)) != std::string::npos;
}

bool is_same(const std::string& a, const std::string& b) { return lower_case(a) == lower_case(b); }

bool has_text(const RunInfo& run, const std::string& text) {
  const RunDetails& details = run.details;
  return has(details.game, text) || has(details.note, text) ||
         std::any_of(details.tags.begin(), details.tags.end(), [&](const auto& tag) { return has(tag, text); }) ||
         std::any_of(details.settings.begin(), details.settings.end(),
                     [&](const auto& one) { return has(one.first + " " + one.second, text); });
}

}  // namespace

bool RunFilter::matches(const RunInfo& run) const {
  const auto has_tag = [&](const std::string& tag) {
    return std::any_of(run.details.tags.begin(), run.details.tags.end(),
                       [&](const auto& one) { return is_same(one, tag); });
  };
  const auto has_setting = [&](const auto& wanted) {
    return std::any_of(run.details.settings.begin(), run.details.settings.end(), [&](const auto& one) {
      return is_same(one.first, wanted.first) && is_same(one.second, wanted.second);
    });
  };
  return has(run.details.game, game) && (text.empty() || has_text(run, text)) &&
         std::all_of(tags.begin(), tags.end(), has_tag) && std::all_of(settings.begin(), settings.end(), has_setting) &&
         (since.empty() || run.started >= since) &&
         (until.empty() || run.started < until || run.started.starts_with(until));
}

}  // namespace idlemeter
