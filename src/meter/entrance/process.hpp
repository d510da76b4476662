// What the kernel knows of processes: /proc/PID (proc(5)).
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace idlemeter {

/// A variable of the environment that a process was started with; "" if it has none, or is another user's.
[[nodiscard]] std::string variable_of(int pid, const std::string& name);

/// True if any process was started with that value of a variable.
[[nodiscard]] bool is_anywhere(const std::string& name, const std::string& value);

/// True if a process is that one, or was started by it, or by one that was.
[[nodiscard]] bool descends_from(int pid, int ancestor);

[[nodiscard]] bool is_running(int pid);

/// The processes that /proc lists.
[[nodiscard]] std::vector<int> all_processes();

/// Returns a process's resident memory in pages; 0 if the process has ended.
[[nodiscard]] std::uint64_t resident_pages_of(int pid);

/// Empty if it is another user's, or gone.
[[nodiscard]] std::filesystem::path executable_of(int pid);

/// The program that a process runs: its executable, or the script or archive that the executable loads.
struct ProgramOfProcess {
  std::string name;              ///< the file's whole name, or a class: "tidepool_rally", "Rally.exe", "com.tide.Rally"
  std::filesystem::path file;    ///< the executable, script, archive or .exe; empty if it isn't known
  std::filesystem::path loader;  ///< the executable, if it only runs the file; else empty
};

/// Of a script, a Java or .NET program, or a Windows program under Wine, that one, by the process's arguments. Named
/// "process 77" if nothing can be read of it. Reads some small files of /proc; the file itself may be gone.
[[nodiscard]] ProgramOfProcess program_of(int pid);

/// Whether an executable is a 32-bit program. False for a file that isn't readable.
[[nodiscard]] bool is_32_bit(const std::filesystem::path& executable);

/// The processes that were started with that value of a variable.
[[nodiscard]] std::vector<int> processes_with(const std::string& name, const std::string& value);

}  // namespace idlemeter
