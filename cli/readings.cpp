// idlemeter readings: what this machine can measure, and what it is now.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <memory>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "idlemeter/machine.hpp"
#include "session.hpp"
#include "table.hpp"
#include "temporary_folder.hpp"

namespace idlemeter::cli {
namespace {

struct Options {
  std::string word;
  std::string root = "/";
  bool json = false;
  bool rig = false;
};

bool contains(std::string_view text, std::string_view word) {
  const auto same = [](char a, char b) {
    return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b));
  };
  return std::search(text.begin(), text.end(), word.begin(), word.end(), same) != text.end();
}

bool matches(const ReadingInfo& info, const std::string& word) {
  return contains(info.id, word) || contains(info.title, word) || contains(info.device, word) ||
         contains(name_of(info.kind), word);
}

std::vector<Snapshot::Entry> wanted(const Snapshot& snapshot, const std::string& word) {
  std::vector<Snapshot::Entry> entries = snapshot.entries();
  std::erase_if(entries, [&](const Snapshot::Entry& entry) { return !matches(*entry.info, word); });
  std::stable_sort(entries.begin(), entries.end(),
                   [](const auto& a, const auto& b) { return a.info->kind < b.info->kind; });
  return entries;
}

void print_json(const std::vector<Snapshot::Entry>& entries) {
  nlohmann::ordered_json list = nlohmann::ordered_json::array();
  for (const auto& [info, value] : entries) {
    nlohmann::ordered_json one = {{"id", info->id},
                                  {"title", info->title},
                                  {"device", info->device},
                                  {"kind", name_of(info->kind)},
                                  {"unit", symbol(info->unit)},
                                  {"source", info->source}};
    if (const auto* missing = std::get_if<Missing>(value)) {
      one["value"] = nullptr;
      one["missing"] = missing->reason;
    } else if (const auto* text = std::get_if<std::string>(value)) {
      one["value"] = *text;
    } else {
      one["value"] = std::get<double>(*value);
    }
    list.push_back(std::move(one));
  }
  fmt::print("{}\n", list.dump(2, ' ', false, nlohmann::json::error_handler_t::replace));
}

void print_table(const std::vector<Snapshot::Entry>& entries) {
  Table table({Table::Align::left, Table::Align::right, Table::Align::left, Table::Align::left});
  std::string device;
  for (const auto& [info, value] : entries) {
    if (info->device != device) table.add_line((device.empty() ? "" : "\n") + info->device);
    device = info->device;
    const auto* missing = std::get_if<Missing>(value);
    table.add({"  " + info->id, format_value(*info, *value), info->title,
               missing == nullptr ? "" : "(" + missing->reason + ")"});
  }
  fmt::print("{}", table.text());
}

/// This machine's values, or the simulated one's after half a minute of its game.
Snapshot values(const Options& options) {
  using namespace std::chrono_literals;
  if (options.rig) {
    const TemporaryFolder folder;
    rig::Session session(folder.path(), {});
    session.play(30);
    return session.values();
  }
  const Sampler sampler(machine_sources({.root = options.root}), {.pace = 250ms});
  sampler.wait(2, 2s);  // a load is known from the second sample on
  return sampler.snapshot();
}

int show(const Options& options) {
  const Snapshot snapshot = values(options);
  const auto entries = wanted(snapshot, options.word);
  if (options.json) {
    print_json(entries);
  } else if (!entries.empty()) {
    print_table(entries);
  }
  if (!entries.empty() || options.word.empty()) return 0;
  fmt::print(stderr,
             "idlemeter: no reading has '{}' in its id, title, device or kind; 'idlemeter readings' lists all {}\n",
             options.word, snapshot.entries().size());
  return 1;
}

}  // namespace

void add_readings(CLI::App& app, Action& action) {
  const auto options = std::make_shared<Options>();
  CLI::App* command = app.add_subcommand("readings", "List what this machine can measure, with values and units");
  command->add_option("WORD", options->word, "Only readings with this word in their id, title, device or kind");
  CLI::Option* root = command->add_option("--root", options->root, "The folder that holds proc/ and sys/")
                          ->capture_default_str()
                          ->check(CLI::ExistingDirectory);
  command->add_flag("--rig", options->rig, "Of the simulated machine and game")->excludes(root);
  command->add_flag("--json", options->json, "As JSON");
  command->callback([options, &action] { action = [options] { return show(*options); }; });
}

}  // namespace idlemeter::cli
