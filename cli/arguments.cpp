#include "arguments.hpp"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>

#include "advice.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/runs/run_list.hpp"
#include "output.hpp"

namespace idlemeter::cli {
namespace {

/// The parser's own checks show themselves in the help of every option: without a description they don't.
Check quietly(const CLI::Validator& validator) {
  return [validator](const std::string& text) { return validator(text); };
}

}  // namespace

Check positive() { return quietly(CLI::PositiveNumber); }
Check existing_folder() { return quietly(CLI::ExistingDirectory); }
Check one_of(std::vector<std::string> words) { return quietly(CLI::IsMember(std::move(words))); }
Check is_picture_name() {
  return [](const std::string& file) {
    const bool fits = file.ends_with(".png") || file.ends_with(".svg");
    return fits ? std::string() : fmt::format("'{}' must end with .png or .svg", file);
  };
}

Check is_run_list() {
  return [](const std::string& text) {
    try {
      (void)run_list(text);
      return std::string();
    } catch (const Error& error) {
      return message_of(error);
    }
  };
}

Option& Option::required() {
  option_->required();
  return *this;
}
Option& Option::shows_default() {
  option_->capture_default_str();
  return *this;
}
Option& Option::check(Check check) {
  option_->check(std::move(check));
  return *this;
}
Option& Option::takes(int values) {
  option_->expected(values);
  return *this;
}
Option& Option::or_just(const std::string& value) {
  option_->expected(0, 1)->default_str(value);
  return *this;
}
Option& Option::repeats() {
  option_->expected(1, CLI::detail::expected_max_vector_size)->allow_extra_args(false)->take_all();
  return *this;
}
Option& Option::needs(const Option& other) {
  option_->needs(other.option_);
  return *this;
}
Option& Option::excludes(const Option& other) {
  option_->excludes(other.option_);
  return *this;
}

Command Command::add(const std::string& name, const std::string& about, Run run) {
  CLI::App* const added = app_->add_subcommand(name, about);
  if (!run) added->require_subcommand(1);
  if (run) {
    added->callback([added, run = std::move(run), chosen = chosen_] {
      if (added->get_subcommands().empty()) *chosen = run;
    });
  }
  return Command(added, chosen_);
}

Option Command::option(const std::string& names, std::string& into, const std::string& about) {
  return Option(app_->add_option(names, into, about));
}
Option Command::option(const std::string& names, std::vector<std::string>& into, const std::string& about) {
  return Option(app_->add_option(names, into, about));
}
Option Command::option(const std::string& names, std::vector<std::int64_t>& into, const std::string& about) {
  return Option(app_->add_option(names, into, about));
}
Option Command::option(const std::string& names, std::vector<double>& into, const std::string& about) {
  return Option(app_->add_option(names, into, about));
}
Option Command::option(const std::string& names, int& into, const std::string& about) {
  return Option(app_->add_option(names, into, about));
}
Option Command::option(const std::string& names, std::int64_t& into, const std::string& about) {
  return Option(app_->add_option(names, into, about));
}
Option Command::option(const std::string& names, std::size_t& into, const std::string& about) {
  return Option(app_->add_option(names, into, about));
}
Option Command::option(const std::string& names, double& into, const std::string& about) {
  return Option(app_->add_option(names, into, about));
}
Option Command::option(const std::string& names, Check read, const std::string& about) {
  return Option(app_->add_option(names, about)->type_name("TEXT")->check(std::move(read)));
}
Option Command::flag(const std::string& names, bool& into, const std::string& about) {
  return Option(app_->add_flag(names, into, about));
}
void Command::lacks(const std::string& names, const std::string& advice) {
  const auto refuse = [advice](const std::string&) { throw CLI::ValidationError(advice); };
  app_->add_option_function<std::string>(names, refuse)->group("");
}
Option Command::option(const std::string& name) const { return Option(app_->get_option(name)); }

void Command::complete(std::function<std::string()> missing) {
  app_->parse_complete_callback([missing = std::move(missing)] {
    if (const std::string name = missing(); !name.empty()) throw CLI::RequiredError(name);
  });
}

Arguments::Arguments(const std::string& about, const std::string& version)
    : app_(std::make_unique<CLI::App>(about)), chosen_(std::make_shared<Run>()) {
  app_->set_version_flag("--version", version);
  app_->require_subcommand(1);
}

Arguments::~Arguments() = default;

Command Arguments::commands() const { return Command(app_.get(), chosen_); }

/// "unknown command 'raedings'; did you mean 'readings'?" for a first word that isn't one; the parser would say that a
/// command is required.
std::string Arguments::unknown_command(int argc, char** argv) const {
  if (argc < 2 || argv[1][0] == '-') return "";
  std::vector<std::string> names;
  for (const CLI::App* command : app_->get_subcommands([](const CLI::App*) { return true; }))
    names.push_back(command->get_name());
  if (std::find(names.begin(), names.end(), argv[1]) != names.end()) return "";
  return fmt::format("unknown command '{}'{}", argv[1],
                     did_you_mean(argv[1], std::vector<std::string_view>(names.begin(), names.end())));
}

Arguments::Parsed Arguments::parse(int argc, char** argv) {
  const auto command = [this] {
    return app_->get_subcommands().empty() ? std::string() : app_->get_subcommands().front()->get_name();
  };
  try {
    app_->parse(argc, argv);
    return {*chosen_, 0, command()};
  } catch (const CLI::Success& asked) {  // --help, --version
    return {{}, app_->exit(asked), ""};
  } catch (const CLI::ParseError& misuse) {
    const std::string unknown = unknown_command(argc, argv);
    complain("idlemeter: {}\nTry 'idlemeter {}--help'.\n", unknown.empty() ? misuse.what() : unknown,
             command().empty() ? "" : command() + " ");
    return {{}, 2, ""};
  }
}

}  // namespace idlemeter::cli
