#include "idlemeter/base/user_folder.hpp"

#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <string>

#include "idlemeter/base/error.hpp"

namespace idlemeter {

namespace fs = std::filesystem;

fs::path user_folder(const char* variable, const char* fallback) {
  const char* folder = std::getenv(variable);
  if (folder != nullptr && *folder == '/') return fs::path(folder) / "idlemeter";
  const char* home = std::getenv("HOME");
  return fs::path(home == nullptr ? "." : home) / fallback / "idlemeter";
}

fs::path runtime_folder() {
  const char* runtime = std::getenv("XDG_RUNTIME_DIR");
  if (runtime != nullptr && *runtime == '/') return fs::path(runtime) / "idlemeter";
  fs::path shared = "/tmp/idlemeter-" + std::to_string(::geteuid());
  struct stat about {};
  const bool is_foreign =
      ::lstat(shared.c_str(), &about) == 0 && (about.st_uid != ::geteuid() || !S_ISDIR(about.st_mode));
  return is_foreign ? user_folder("XDG_STATE_HOME", ".local/state") / "run" : shared;
}

void make_private_folder(const fs::path& folder) {
  std::error_code failed;
  fs::create_directories(folder.parent_path(), failed);
  if (::mkdir(folder.c_str(), 0700) != 0 && errno != EEXIST) {
    throw Error(Error::Code::unwritable, std::string("cannot make the folder: ") + ::strerror(errno), folder.string());
  }
  struct stat status {};
  if (::lstat(folder.c_str(), &status) != 0 || !S_ISDIR(status.st_mode))
    throw Error(Error::Code::unreadable, "isn't a folder", folder.string());
  if (status.st_uid != ::geteuid() || (status.st_mode & 077) != 0) {
    throw Error(Error::Code::invalid, "others may open this folder", folder.string(),
                "make it your own with 'chmod 700', or name another");
  }
}

fs::path installed_file(const std::string& name) {
  const fs::path program = fs::read_symlink("/proc/self/exe").parent_path(), above = program.parent_path();
  for (const fs::path& folder :
       {program / "lib", above / "lib", above / "lib" / IDLEMETER_ARCHITECTURE, above / "lib64"}) {
    if (fs::exists(folder / "idlemeter" / name)) return folder / "idlemeter" / name;
  }
  return {};
}

}  // namespace idlemeter
