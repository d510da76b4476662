#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <functional>
#include <iterator>
#include <set>
#include <string_view>
#include <utility>

#include "definitions.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/draw/face_library.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/settings/settings_keys.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

using Lines = std::vector<std::pair<std::string, std::string>>;

Lines faces() {
  Lines lines;
  for (const std::string& name : FaceLibrary().names()) lines.emplace_back(name, "face");
  return lines;
}

/// The store that the words name, else the usual one.
std::string& store_of_words() {
  static std::string store = usual_store();
  return store;
}

std::vector<RunInfo> stored_runs() { return Store(store_of_words(), Store::Mode::existing).runs(Store::Facts::none); }

Lines runs() {
  Lines lines;
  for (const RunInfo& run : stored_runs()) {
    const std::string& note = run.details.note;
    lines.emplace_back(std::to_string(run.id), fmt::format("{}, {}{}", run.details.game, run.started.substr(0, 10),
                                                           note.empty() ? "" : ", " + cut_to(note, 40)));
  }
  return lines;
}

Lines readings() {
  Lines lines;
  ValueOptions machine;
  machine.plain = true;
  const Snapshot snapshot = Values(machine).next(0);
  for (const auto& entry : snapshot.entries()) lines.emplace_back(entry.info->id, entry.info->title);
  return lines;
}

Lines setting_keys() {
  Lines lines;
  for (const FileKey& key : settings_keys()) lines.emplace_back(full_name(key), key.words);
  return lines;
}

Lines setting_names() {
  std::set<std::string> names;
  for (const RunInfo& run : stored_runs()) {
    for (const auto& [name, value] : run.details.settings) names.insert(name);
  }
  Lines lines;
  for (const std::string& name : names) lines.emplace_back(name, "setting");
  return lines;
}

Lines played_games() {
  Lines lines;
  for (const RunningGame& game : running_games()) lines.emplace_back(std::to_string(game.state.pid), game.state.name);
  return lines;
}

Lines games() {
  Lines lines;
  for (const RunInfo& run : stored_runs()) lines.emplace_back(run.details.game, "game");
  std::sort(lines.begin(), lines.end());
  lines.erase(std::unique(lines.begin(), lines.end()), lines.end());
  return lines;
}

/// What an argument or option takes, by its name in the command of that name; the first that fits.
constexpr struct {
  const char *command, *name;  ///< "": of any
  Lines (*values)();
} kKinds[] = {{"", "FACE", &faces},
              {"", "face", &faces},
              {"new", "from", &faces},
              {"", "RUN", &runs},
              {"", "RUNS", &runs},
              {"readings", "WORDS", &readings},
              {"log", "WORDS", &readings},
              {"", "reading", &readings},
              {"set", "KEY", &setting_keys},
              {"unset", "KEY", &setting_keys},
              {"runs", "game", &games},
              {"compare", "game", &games},
              {"compare", "by", &setting_names},
              {"attach", "PID", &played_games},
              {"play", "GAME", [] {
                 return Lines{{":commands", ""}};
               }}};

Lines values_of(const CLI::App& command, const CLI::Option& option) {
  const std::string name = option.get_single_name();
  for (const auto& kind : kKinds) {
    const bool fits = (*kind.command == '\0' || command.get_name() == kind.command) && name == kind.name;
    if (!fits) continue;
    try {
      return kind.values();
    } catch (const Error&) {
      return {};
    }
  }
  return {{":files", ""}};
}

const CLI::App* command_in(const CLI::App& app, const std::string& name) {
  const auto found = app.get_subcommands([&](const CLI::App* sub) { return sub->get_name() == name; });
  return found.empty() ? nullptr : found.front();
}

bool is_shown(const CLI::Option* option) { return !option->get_group().empty(); }

/// Where the words lead.
struct Place {
  const CLI::App* command;
  const CLI::Option* waits = nullptr;  ///< an option that still takes values
  int values = 0;                      ///< that it has got
  std::size_t positional = 0;          ///< arguments so far
  bool is_rest = false;                ///< behind "--"

  void take(const std::string& word) {
    if (waits != nullptr && ++values >= waits->get_items_expected_max()) waits = nullptr;
    if (values > 0 && (waits != nullptr || std::exchange(values, 0) > 0)) return;
    if (is_rest || word.empty() || (word[0] != '-' && command_in(*command, word) == nullptr)) {
      ++positional;
    } else if (word == "--") {
      is_rest = true;
    } else if (word[0] != '-') {
      command = command_in(*command, word);
      positional = 0;
    } else {
      const CLI::Option* option = command->get_option_no_throw(word);
      if (option != nullptr && option->get_items_expected_max() > 0) waits = option;
    }
  }

  [[nodiscard]] Lines candidates(const std::string& word) const {
    if (waits != nullptr) return values_of(*command, *waits);
    Lines lines;
    if (!is_rest && word.starts_with('-')) {
      for (const CLI::Option* option : command->get_options(&is_shown)) {
        for (const std::string& name : option->get_lnames()) lines.emplace_back("--" + name, option->get_description());
      }
      return lines;
    }
    for (const CLI::App* sub : command->get_subcommands([](const CLI::App*) { return true; }))
      if (!is_rest && positional == 0) lines.emplace_back(sub->get_name(), sub->get_description());
    const auto arguments =
        command->get_options([](const CLI::Option* o) { return o->get_positional() && is_shown(o); });
    if (arguments.empty()) return lines;
    const Lines values = values_of(*command, *arguments[std::min(positional, arguments.size() - 1)]);
    lines.insert(lines.end(), values.begin(), values.end());
    return lines;
  }
};

}  // namespace

std::string completions(const CLI::App& app, const std::vector<std::string>& words) {
  for (std::size_t i = 0; i + 1 < words.size(); ++i) {
    if (words[i] == "--store" && i + 2 < words.size()) store_of_words() = words[i + 1];
    if (words[i].starts_with("--store=")) store_of_words() = words[i].substr(std::string_view("--store=").size());
  }
  Place place{&app};
  for (std::size_t i = 0; i + 1 < words.size(); ++i) place.take(words[i]);
  const std::string last = words.empty() ? "" : words.back();
  std::string text;
  for (const auto& [candidate, about] : place.candidates(last)) {
    if (candidate.starts_with(last) || candidate.starts_with(':'))
      text += fmt::format("{}\t{}\n", printable(candidate), printable(about));
  }
  return text;
}

}  // namespace idlemeter::cli
