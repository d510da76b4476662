#include "idlemeter/frames/frame_statistic.hpp"

#include <fmt/format.h>

#include "base/enum_names.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/span.hpp"

namespace idlemeter {
namespace {

using namespace base;
using Quantity = FrameStatistic::Quantity;

constexpr Word<Quantity> kQuantities[] = {{"average", Quantity::average},
                                          {"min", Quantity::min},
                                          {"max", Quantity::max},
                                          {"low", Quantity::low},
                                          {"percentile", Quantity::percentile},
                                          {"median", Quantity::median},
                                          {"pacing", Quantity::pacing},
                                          {"span", Quantity::span},
                                          {"count", Quantity::count}};

constexpr Word<LowDefinition> kDefinitions[] = {{"slowest", LowDefinition::mean_of_slowest},
                                                {"percentile", LowDefinition::percentile},
                                                {"time", LowDefinition::share_of_time}};

/// One more argument; false if it fits nothing that is still open.
bool take(std::string_view argument, FrameStatistic& statistic, bool& has_share) {
  const bool low = statistic.quantity == Quantity::low, shares = low || statistic.quantity == Quantity::percentile;
  if (shares && !has_share) {
    const auto share = argument.ends_with('%') ? share_from(argument) : std::nullopt;
    if (share) statistic.share = *share;
    return has_share = share.has_value();
  }
  if (const auto definition = value_of(argument, kDefinitions); low && definition) {
    statistic.definition = *definition;
    return true;
  }
  if (statistic.span) return false;
  statistic.span = span_from(argument);
  return statistic.span.has_value();
}

}  // namespace

std::optional<FrameStatistic> frame_statistic(std::string_view id) {
  constexpr std::string_view kDevice = "frame.";
  if (!id.starts_with(kDevice)) return std::nullopt;
  id.remove_prefix(kDevice.size());
  std::size_t end = std::min(id.find('@'), id.size());
  const auto quantity = value_of(id.substr(0, end), kQuantities);
  if (!quantity) return std::nullopt;
  FrameStatistic statistic{.quantity = *quantity};
  bool has_share = *quantity != Quantity::low && *quantity != Quantity::percentile;
  while (end < id.size()) {
    id.remove_prefix(end + 1);
    end = std::min(id.find('@'), id.size());
    if (!take(id.substr(0, end), statistic, has_share)) return std::nullopt;
  }
  return has_share ? std::optional(statistic) : std::nullopt;
}

std::string id_of(const FrameStatistic& statistic) {
  std::string id = "frame.";
  for (const auto& [word, quantity] : kQuantities) {
    if (quantity == statistic.quantity) id += word;
  }
  if (statistic.quantity == Quantity::low || statistic.quantity == Quantity::percentile)
    id += "@" + to_string(statistic.share);
  for (const auto& [word, definition] : kDefinitions) {
    if (definition == statistic.definition && definition != LowDefinition::mean_of_slowest) id.append("@").append(word);
  }
  const bool usual = !statistic.span || statistic.span->kind == Span::Kind::recording;
  return usual ? id : id + "@" + to_string(*statistic.span);
}

}  // namespace idlemeter
