// Pages of man(1), in the macros of man(7).
#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cstdlib>
#include <string>
#include <string_view>
#include <vector>

#include "definitions.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/text.hpp"

namespace idlemeter::cli {
namespace {

/// Text as roff takes it: its own characters escaped, at the start of a line too. The home of who writes the pages is
/// nobody else's.
std::string roff(std::string text) {
  const char* const home = std::getenv("HOME");
  const std::size_t at = home == nullptr || *home == '\0' ? std::string::npos : text.find(home);
  if (at != std::string::npos) text.replace(at, std::string_view(home).size(), "~");
  std::string out;
  for (const char c : text) {
    if (c == '\\') {
      out += "\\e";
    } else if (c == '-') {
      out += "\\-";
    } else {
      out += c;
    }
  }
  const bool is_request = out.starts_with('.') || out.starts_with('\'');
  return is_request ? "\\&" + out : out;
}

std::vector<const CLI::Option*> shown_options(const CLI::App& command) {
  auto options = command.get_options([](const CLI::Option* option) { return !option->get_group().empty(); });
  return {options.begin(), options.end()};
}

std::vector<const CLI::App*> subcommands(const CLI::App& command) {
  return command.get_subcommands([](const CLI::App* sub) { return !sub->get_group().empty(); });
}

/// "play [OPTIONS] GAME…", with what may be left out in brackets.
std::string usage(const std::string& name, const CLI::App& command) {
  std::string line = ".B " + roff(name);
  line += "\n[\\fIOPTIONS\\fR]";
  for (const CLI::Option* option : shown_options(command)) {
    if (!option->get_positional()) continue;
    const std::string argument =
        fmt::format("\\fI{}\\fR{}", roff(option->get_single_name()), option->get_items_expected_max() > 1 ? "..." : "");
    line += option->get_required() ? "\n" + argument : "\n[" + argument + "]";
  }
  if (!subcommands(command).empty())
    line += command.get_require_subcommand_min() > 0 ? "\n\\fICOMMAND\\fR" : "\n[\\fICOMMAND\\fR]";
  return line + "\n";
}

std::string option_text(const CLI::Option& option) {
  std::vector<std::string> names;
  for (const std::string& name : option.get_snames()) names.push_back("\\fB\\-" + roff(name) + "\\fR");
  for (const std::string& name : option.get_lnames()) names.push_back("\\fB\\-\\-" + roff(name) + "\\fR");
  std::string head;
  for (const std::string& name : names) head += (head.empty() ? "" : ", ") + name;
  if (head.empty()) head = "\\fI" + roff(option.get_single_name()) + "\\fR";
  if (!option.get_positional() && option.get_items_expected_max() > 0)
    head += " \\fI" + roff(option.get_type_name()) + "\\fR";
  std::string about = roff(option.get_description());
  if (!option.get_default_str().empty()) about += fmt::format(" (default: {})", roff(option.get_default_str()));
  return fmt::format(".TP\n{}\n{}\n", head, about.empty() ? "\\&" : about);
}

std::string options_text(const CLI::App& command) {
  std::string arguments, options;
  for (const CLI::Option* option : shown_options(command))
    (option->get_positional() ? arguments : options) += option_text(*option);
  return arguments + options;
}

std::string heading(const std::string& name, const std::string& version, const std::string& about) {
  std::string title = name;
  std::transform(title.begin(), title.end(), title.begin(), [](char c) { return c >= 'a' && c <= 'z' ? c - 32 : c; });
  return fmt::format(".TH {} 1 \"\" \"Idle Meter {}\" \"Idle Meter\"\n.ad l\n.nh\n.SH NAME\n{} \\- {}\n", roff(title),
                     version, roff(name), roff(about));
}

/// Each command below in a section of its own, with those below it.
std::string sections(const std::string& name, const CLI::App& command) {
  std::string text;
  for (const CLI::App* sub : subcommands(command)) {
    const std::string full = name + " " + sub->get_name();
    text += fmt::format(".SS {}\n{}.PP\n{}.\n{}", roff(full), usage(full, *sub), roff(sub->get_description()),
                        options_text(*sub));
    text += sections(full, *sub);
  }
  return text;
}

std::string command_page(const CLI::App& command, const std::string& version) {
  const std::string name = "idlemeter " + command.get_name();
  const std::string below = sections(name, command);
  return heading("idlemeter-" + command.get_name(), version, command.get_description()) + ".SH SYNOPSIS\n" +
         usage(name, command) + ".SH OPTIONS\n" + options_text(command) +
         (below.empty() ? "" : ".SH COMMANDS\n" + below) + ".SH SEE ALSO\n.BR idlemeter (1)\n";
}

std::string main_page(const CLI::App& app, const std::string& version) {
  std::string text = heading("idlemeter", version,
                             "measure a PC while a game is played, show it over the game, record "
                             "and compare runs") +
                     ".SH SYNOPSIS\n.B idlemeter\n\\fICOMMAND\\fR [\\fIOPTIONS\\fR]\n.SH DESCRIPTION\n" +
                     roff(app.get_description()) + "\n.SH COMMANDS\n";
  for (const CLI::App* command : subcommands(app))
    text +=
        fmt::format(".TP\n.BR idlemeter\\-{} (1)\n{}\n", roff(command->get_name()), roff(command->get_description()));
  return text +
         ".SH EXIT STATUS\n0 for success, 1 for failure, 2 for misuse; \\fBidlemeter play\\fR also ends as its game "
         "does.\n.SH FILES\n.TP\n~/.config/idlemeter/settings.toml\nthe settings\n.TP\n~/.config/idlemeter/faces\n"
         "faces of your own\n.TP\n~/.local/share/idlemeter/runs.db\nthe store of runs\n.TP\n"
         "~/.local/state/idlemeter/meter.log\nwhat the meters had to say\n";
}

}  // namespace

void write_man_pages(const CLI::App& app, const std::filesystem::path& folder, const std::string& version) {
  replace_file(folder / "idlemeter.1", main_page(app, version));
  for (const CLI::App* command : subcommands(app))
    replace_file(folder / fmt::format("idlemeter-{}.1", command->get_name()), command_page(*command, version));
}

}  // namespace idlemeter::cli
