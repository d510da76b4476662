// What the kernel knows of processes: /proc/PID (proc(5)).
#pragma once

#include <filesystem>
#include <string>

namespace idlemeter {

/// A variable of the environment that a process was started with; "" if it has none, or is another user's.
[[nodiscard]] std::string variable_of(int pid, const std::string& name);

/// True if any process was started with that value of a variable.
[[nodiscard]] bool is_anywhere(const std::string& name, const std::string& value);

/// True if a process is that one, or was started by it, or by one that was.
[[nodiscard]] bool descends_from(int pid, int ancestor);

[[nodiscard]] bool is_running(int pid);

/// "process 77" if it has none.
[[nodiscard]] std::string name_of_process(int pid);

/// Empty if it is another user's, or gone.
[[nodiscard]] std::filesystem::path executable_of(int pid);

}  // namespace idlemeter
