#include "temporary_folder.hpp"

#include <stdlib.h>

#include <mutex>
#include <set>
#include <string>

#include "idlemeter/base/error.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

struct Folders {
  std::recursive_mutex mutex;
  std::set<fs::path> paths;
};

Folders& folders() {
  static auto* const all = new Folders;  // the thread that waits for signals may outlive main()
  return *all;
}

}  // namespace

TemporaryFolder::TemporaryFolder() {
  std::string name = (fs::temp_directory_path() / "idlemeter-XXXXXX").string();
  const std::lock_guard lock(folders().mutex);
  if (::mkdtemp(name.data()) == nullptr)
    throw Error("cannot make a temporary folder", name, "set TMPDIR to a folder that you may write to");
  path_ = name;
  folders().paths.insert(path_);
}

TemporaryFolder::~TemporaryFolder() {
  const std::lock_guard lock(folders().mutex);
  folders().paths.erase(path_);
  std::error_code ignored;
  fs::remove_all(path_, ignored);
}

TemporaryFolder::Writing::Writing() { folders().mutex.lock(); }
TemporaryFolder::Writing::~Writing() { folders().mutex.unlock(); }

void TemporaryFolder::remove_all() {
  folders().mutex.lock();  // for ever: the process is about to end
  std::error_code ignored;
  for (const fs::path& path : folders().paths) fs::remove_all(path, ignored);
}

}  // namespace idlemeter::cli
