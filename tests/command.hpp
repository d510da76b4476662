// The command as a process.
#pragma once

#include <stdio.h>
#include <sys/wait.h>

#include <string>

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

}  // namespace idlemeter::testing
