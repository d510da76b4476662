#include "idlemeter/report/report_page.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <glib.h>

#include <memory>
#include <set>
#include <stdexcept>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/insight/compare.hpp"
#include "report/html.hpp"
#include "report/page_data.hpp"
#include "report/page_html.hpp"
#include "report/report_assets.hpp"

namespace idlemeter {
namespace {

using namespace report;

/// What a Content-Security-Policy calls a script or style that stands in the page: 'sha256-…' of its text.
std::string hash_of(std::string_view text) {
  const std::unique_ptr<GChecksum, decltype(&g_checksum_free)> sum(g_checksum_new(G_CHECKSUM_SHA256), &g_checksum_free);
  g_checksum_update(sum.get(), reinterpret_cast<const guchar*>(text.data()), static_cast<gssize>(text.size()));
  guint8 digest[32];
  gsize length = sizeof digest;
  g_checksum_get_digest(sum.get(), digest, &length);
  const std::unique_ptr<gchar, decltype(&g_free)> base64(g_base64_encode(digest, length), &g_free);
  return fmt::format("'sha256-{}'", base64.get());
}

/// "Tidepool Rally on Bramble", of all runs.
std::string title_of(const std::vector<RunGroup>& groups) {
  std::set<std::string> games, machines;
  for (const RunGroup& group : groups) {
    for (const RunInsight& run : group.runs) {
      if (!run.info.details.game.empty()) games.insert(run.info.details.game);
      const auto machine = run.info.details.facts.find("Machine");
      if (machine != run.info.details.facts.end()) machines.insert(machine->second);
    }
  }
  const std::string game = games.empty() ? "Recorded runs" : fmt::format("{}", fmt::join(games, ", "));
  return machines.empty() ? game : fmt::format("{} on {}", game, fmt::join(machines, ", "));
}

/// "Corvid 8 · Marl G9 · Mesa 24 · 2560x1440 · 2026-03-01 to 2026-03-05": what the figures are of.
std::string machine_lines(const std::vector<RunGroup>& groups) {
  constexpr const char* kFacts[] = {"Processor", "GPU", "Graphics driver", "Picture"};
  constexpr std::size_t kMostValues = 3, kDate = 10;
  std::vector<std::string> parts;
  for (const char* name : kFacts) {
    std::set<std::string> values;
    for (const RunGroup& group : groups) {
      for (const RunInsight& run : group.runs) {
        const auto fact = run.info.details.facts.find(name);
        if (fact != run.info.details.facts.end()) values.insert(cut_to(printable(fact->second), 80));
      }
    }
    if (values.size() > kMostValues) values = {fmt::format("{}: {} different", name, values.size())};
    if (!values.empty()) parts.push_back(html(fmt::format("{}", fmt::join(values, ", "))));
  }
  std::set<std::string> dates;
  for (const RunGroup& group : groups) {
    for (const RunInsight& run : group.runs) dates.insert(run.info.started.substr(0, kDate));
  }
  const std::string first = html(printable(*dates.begin())), last = html(printable(*dates.rbegin()));
  parts.push_back(first == last ? first : first + " to " + last);
  return fmt::format("<p class=\"machine\">{}</p>\n", fmt::join(parts, " · "));
}

std::string navigation(bool compares) {
  std::string links;
  const auto add = [&](const char* id, const char* title) {
    links += fmt::format("<a href=\"#{}\">{}</a>\n", id, title);
  };
  if (compares) add("comparison", "Comparison");
  add("summary", "Summary");
  add("plots", "Plots");
  add("stutters", "Stutters");
  add("facts", "Facts");
  add("definitions", "Definitions");
  return "<nav aria-label=\"Sections\">" + links + "</nav>\n";
}

/// `title` is HTML already.
std::string head_of_page(const std::string& title) {
  std::string page = fmt::format(
      "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
      "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; script-src {}; style-src {}; "
      "base-uri 'none'; form-action 'none'\">\n"
      "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
      "<meta name=\"color-scheme\" content=\"light dark\">\n<meta name=\"referrer\" content=\"no-referrer\">\n"
      "<title>{}</title>\n{}<style>",
      hash_of(kScript), hash_of(kStyle), title,
      kLicense.empty() ? "" : fmt::format("<!-- The plots are drawn by uPlot.\n{}-->\n", kLicense));
  page += kStyle;
  return page + "</style>\n</head>\n";
}

std::string scripts_of_page(const PageData& data) {
  std::string scripts = "<script type=\"application/json\" id=\"data\">" + data.json + "</script>\n<script>";
  scripts += kScript;
  return scripts + "</script>\n";
}

}  // namespace

std::string report_page(const Store& store, const std::vector<RunGroup>& groups, const FigureSet& figures,
                        const ReportOptions& options) {
  std::size_t runs = 0;
  for (const RunGroup& group : groups) runs += group.runs.size();
  if (runs == 0) throw Error(Error::Code::misuse, "a report is of at least one run");
  const std::optional<Comparison> comparison =
      groups.size() > 1 ? std::optional(compare(groups, figures, options.comparison)) : std::nullopt;
  const double confidence = options.comparison.rules.confidence;
  const PageData data = page_data(store, groups, options.most_frames);
  const std::string title = html(options.title.empty() ? title_of(groups) : options.title);
  std::string page = head_of_page(title);
  page += "<body>\n<header><h1>" + title + "</h1>\n";
  page += fmt::format("<p class=\"note\">{} run{} recorded by Idle Meter.</p>\n", runs, runs == 1 ? "" : "s");
  page += machine_lines(groups);
  if (!options.note.empty()) page += "<p>" + html(options.note) + "</p>\n";
  page += navigation(comparison.has_value()) + "</header>\n<main>\n";
  if (comparison) page += comparison_section(*comparison, confidence);
  page += summary_section(groups, figures, comparison ? &*comparison : nullptr);
  page += (kScript.empty() ? without_plots() : plots_section(data.thinned)) + stutters_section(groups) +
          facts_section(groups, options.arguments);
  page += definitions_section(figures, comparison ? confidence : 0) + "</main>\n";
  if (!kScript.empty()) page += scripts_of_page(data);
  return page + "</body>\n</html>\n";
}

}  // namespace idlemeter
