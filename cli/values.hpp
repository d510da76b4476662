// Where the values that a command shows come from: this machine, a tree, or the simulated machine.
#pragma once

#include <string>
#include <vector>

#include "arguments.hpp"
#include "idlemeter/base/time.hpp"
#include "rig_values.hpp"

namespace idlemeter::cli {

using rig::ValueOptions;

/// Values whose time Ctrl-C cuts short.
class Values : public rig::Values {
 public:
  explicit Values(const ValueOptions& options, const std::vector<std::string>& ids = {});
};

/// Reads "1920x1080"; "" or what is wrong.
std::string read_size(const std::string& text, int& width, int& height);

/// The same for an option that is read later.
Check is_size();

/// Reads how often something is looked at, "1s" or "500ms": from 100 ms to an hour. "" or what is wrong.
std::string read_every(const std::string& text, Nanoseconds& every);

/// The store with the runs, unless it is named: as the usual settings say, else Store::usual_path(). Settings with a
/// mistake are warned of, once, and say nothing.
[[nodiscard]] std::string usual_store();

/// Adds --root, --rig, --settings and --game.
void add_value_options(Command command, ValueOptions& options);

}  // namespace idlemeter::cli
