// Where a user's own files are.
#pragma once

#include <cstdlib>
#include <filesystem>

namespace idlemeter {

/// Idle Meter's folder below $VARIABLE (XDG Base Directory Specification) where that is an absolute path, else below
/// ~/fallback.
inline std::filesystem::path user_folder(const char* variable, const char* fallback) {
  const char* folder = std::getenv(variable);
  if (folder != nullptr && *folder == '/') return std::filesystem::path(folder) / "idlemeter";
  const char* home = std::getenv("HOME");
  return std::filesystem::path(home == nullptr ? "." : home) / fallback / "idlemeter";
}

}  // namespace idlemeter
