#include "idlemeter/runs/run_filter.hpp"

#include <algorithm>

#include "base/enum_names.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {
namespace {

using namespace base;

constexpr Word<RunOrder> kOrders[] = {{"number", RunOrder::number}, {"started", RunOrder::started},
                                      {"game", RunOrder::game},     {"length", RunOrder::length},
                                      {"frames", RunOrder::frames}, {"average", RunOrder::average}};

double average_of(const RunInfo& run) {
  const double seconds = in_seconds(run.length);
  return seconds > 0 ? static_cast<double>(run.frames) / seconds : 0;
}

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

std::string_view name_of(RunOrder order) { return word_of(order, kOrders); }

std::optional<RunOrder> run_order_from(std::string_view text) { return value_of(text, kOrders); }

void sort_runs(std::vector<RunInfo>& runs, RunOrder order) {
  const auto sort_by = [&](auto key) {
    std::stable_sort(runs.begin(), runs.end(), [&](const RunInfo& a, const RunInfo& b) { return key(a) < key(b); });
  };
  switch (order) {
    case RunOrder::number:
      return sort_by([](const RunInfo& run) { return run.id; });
    case RunOrder::started:
      return sort_by([](const RunInfo& run) { return run.started; });
    case RunOrder::game:
      return sort_by([](const RunInfo& run) { return lower_case(run.details.game); });
    case RunOrder::length:
      return sort_by([](const RunInfo& run) { return run.length; });
    case RunOrder::frames:
      return sort_by([](const RunInfo& run) { return run.frames; });
    case RunOrder::average:
      return sort_by(&average_of);
  }
}

}  // namespace idlemeter
