#include "idlemeter/base/watched_file.hpp"

#include <system_error>

namespace idlemeter {

bool WatchedFile::has_changed() {
  std::error_code gone;
  const State now{std::filesystem::last_write_time(file_, gone), std::filesystem::file_size(file_, gone)};
  is_there_ = !gone;
  return std::exchange(seen_, now) != now;
}

}  // namespace idlemeter
