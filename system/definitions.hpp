// What a shell and man(1) are told of the command, from its own definitions.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace CLI {
class App;
}

namespace idlemeter::cli {

/// What may stand in place of the last of `words`, which follow the command's name: a line for each, "text<TAB>about".
/// A line ":files" or ":commands" stands for what the shell knows itself. Faces, runs, readings and settings are looked
/// up; what can't be read has none.
[[nodiscard]] std::string completions(const CLI::App& app, const std::vector<std::string>& words);

/// Writes idlemeter.1 and idlemeter-COMMAND.1 into a folder, which is made. Throws Error.
void write_man_pages(const CLI::App& app, const std::filesystem::path& folder, const std::string& version);

}  // namespace idlemeter::cli
