// The command as a process.
#pragma once

#include <gtest/gtest.h>
#include <stdio.h>
#include <sys/wait.h>

#include <span>
#include <string>
#include <vector>

#include "folder.hpp"

namespace idlemeter::testing {

struct Outcome {
  int status = -1;
  std::string out, err;
};

/// Runs `idlemeter ARGUMENTS` in the folder, through a shell.
inline Outcome run(const Folder& folder, const std::string& arguments, const std::string& variables = "") {
  const std::string command = "cd '" + folder.path().string() + "' && HOME='" + folder.path().string() +
                              "' XDG_DATA_HOME= " + variables + " '" IDLEMETER_COMMAND "' " + arguments +
                              " 2>stderr.txt";
  FILE* pipe = popen(command.c_str(), "r");
  Outcome outcome;
  char buffer[4096];
  for (std::size_t got; (got = fread(buffer, 1, sizeof buffer, pipe)) > 0;) outcome.out.append(buffer, got);
  outcome.status = WEXITSTATUS(pclose(pipe));
  outcome.err = text_of(folder / "stderr.txt");
  return outcome;
}

/// A command line, the status it ends with, and what it says.
struct Step {
  std::string arguments;
  int status = 0;
  std::vector<const char*> words = {};
};

/// Runs one after the other; `more` is added to each line.
inline void expect_steps(const Folder& folder, std::span<const Step> steps, const std::string& more = "") {
  for (const Step& step : steps) {
    const Outcome outcome = run(folder, step.arguments + more);
    const std::string said = outcome.out + outcome.err;
    EXPECT_EQ(outcome.status, step.status) << step.arguments << ": " << outcome.err;
    for (const char* words : step.words)
      EXPECT_NE(said.find(words), std::string::npos)
          << step.arguments << ": " << words << ": " << said.substr(0, 4'000);
  }
}

}  // namespace idlemeter::testing
