#include "temporary_folder.hpp"

#include <mutex>
#include <set>

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
  const std::lock_guard lock(folders().mutex);
  folder_ = std::make_unique<ScratchFolder>();
  folders().paths.insert(path());
}

TemporaryFolder::~TemporaryFolder() {
  const std::lock_guard lock(folders().mutex);
  folders().paths.erase(path());
  folder_.reset();
}

TemporaryFolder::Writing::Writing() { folders().mutex.lock(); }
TemporaryFolder::Writing::~Writing() { folders().mutex.unlock(); }

void TemporaryFolder::remove_all() {
  folders().mutex.lock();  // for ever: the process is about to end
  std::error_code ignored;
  for (const fs::path& path : folders().paths) fs::remove_all(path, ignored);
}

}  // namespace idlemeter::cli
