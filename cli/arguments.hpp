// The command line. Only arguments.cpp knows the parser: its header takes seconds to compile.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <initializer_list>
#include <memory>
#include <string>
#include <type_traits>
#include <utility>
#include <vector>

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace idlemeter::cli {

/// "" or what is wrong with a value. May keep the value somewhere.
using Check = std::function<std::string(const std::string&)>;

/// What a command does; returns the exit status.
using Run = std::function<int()>;

Check positive();
Check existing_folder();
Check one_of(std::vector<std::string> words);
/// Whether an argument names a picture that can be written.
Check is_picture_name();
/// Whether an argument is a list of runs, like 1-5,7.
Check is_run_list();

/// One option or argument. Copies are the same option.
class Option {
 public:
  explicit Option(CLI::Option* option) : option_(option) {}

  Option& required();
  Option& shows_default();
  Option& check(Check check);
  Option& takes(int values);
  /// May be given several times, with one value each.
  Option& repeats();
  /// May stand without a value, which then is this one.
  Option& or_just(const std::string& value);
  Option& needs(const Option& other);
  Option& excludes(const Option& other);

 private:
  CLI::Option* option_;
};

/// A command with its options. Copies are the same command. What options are read into has to live until it has run.
class Command {
 public:
  explicit Command(CLI::App* app, std::shared_ptr<Run> chosen) : app_(app), chosen_(std::move(chosen)) {}

  /// A subcommand; without `run` it needs one of its own.
  Command add(const std::string& name, const std::string& about, Run run = {});

  /// A subcommand that is given its options.
  template <typename Options>
  Command add(const std::string& name, const std::string& about, const std::shared_ptr<Options>& options,
              std::type_identity_t<std::function<int(const Options&)>> run) {
    return add(name, about, [options, run = std::move(run)] { return run(*options); });
  }

  Option option(const std::string& names, std::string& into, const std::string& about);
  Option option(const std::string& names, std::vector<std::string>& into, const std::string& about);
  Option option(const std::string& names, std::vector<std::int64_t>& into, const std::string& about);
  Option option(const std::string& names, std::vector<double>& into, const std::string& about);
  Option option(const std::string& names, int& into, const std::string& about);
  Option option(const std::string& names, std::int64_t& into, const std::string& about);
  Option option(const std::string& names, std::size_t& into, const std::string& about);
  Option option(const std::string& names, double& into, const std::string& about);
  Option option(const std::string& names, Check read, const std::string& about);
  Option flag(const std::string& names, bool& into, const std::string& about);

  /// Options that people look for here and that this command doesn't have. Giving one is an error with this advice.
  void lacks(const std::string& names, const std::string& advice);

  /// The option that has been added under this name.
  [[nodiscard]] Option option(const std::string& name) const;

  /// Called once all is read: the name of an argument that is missing, or "".
  void complete(std::function<std::string()> missing);

 private:
  CLI::App* app_;
  std::shared_ptr<Run> chosen_;
};

/// The whole command line.
class Arguments {
 public:
  Arguments(const std::string& about, const std::string& version);
  Arguments(const Arguments&) = delete;
  Arguments& operator=(const Arguments&) = delete;
  ~Arguments();

  [[nodiscard]] Command commands() const;

  /// For shells and the manual.
  [[nodiscard]] const CLI::App& definitions() const { return *app_; }

  struct Parsed {
    Run run;              ///< empty: nothing more to do
    int status = 0;       ///< then: 0 after --help, 2 after a mistake
    std::string command;  ///< "play"
  };

  /// Prints help, the version, or what is wrong.
  [[nodiscard]] Parsed parse(int argc, char** argv);

 private:
  [[nodiscard]] std::string unknown_command(int argc, char** argv) const;

  std::unique_ptr<CLI::App> app_;
  std::shared_ptr<Run> chosen_;
};

}  // namespace idlemeter::cli
