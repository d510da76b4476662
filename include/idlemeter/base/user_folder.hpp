// Idle Meter: where a user's own files are, and Idle Meter's.
#pragma once

#include <filesystem>
#include <string>

namespace idlemeter {

/// Idle Meter's folder below $VARIABLE (XDG Base Directory Specification) if that is an absolute path, else below
/// ~/fallback.
[[nodiscard]] std::filesystem::path user_folder(const char* variable, const char* fallback);

/// For the user's sockets: $XDG_RUNTIME_DIR/idlemeter, else /tmp/idlemeter-UID.
[[nodiscard]] std::filesystem::path runtime_folder();

/// A file of Idle Meter's own, in lib/idlemeter beside the program where it was built, or in the library folder where
/// it was installed; empty if it isn't there.
[[nodiscard]] std::filesystem::path installed_file(const std::string& name);

/// Makes a folder with mode 0700 if it doesn't exist. Throws Error if it can't be made, or is open to others.
void make_private_folder(const std::filesystem::path& folder);

}  // namespace idlemeter
