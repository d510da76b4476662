// A folder that goes when it is no longer needed.
#pragma once

#include <stdlib.h>

#include <filesystem>
#include <string>

#include "idlemeter/error.hpp"

namespace idlemeter::cli {

class TemporaryFolder {
 public:
  TemporaryFolder() {
    std::string name = (std::filesystem::temp_directory_path() / "idlemeter-XXXXXX").string();
    if (::mkdtemp(name.data()) == nullptr)
      throw Error("cannot make a temporary folder", name, "set TMPDIR to a folder that you may write to");
    path_ = name;
  }
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  ~TemporaryFolder() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
  }

  [[nodiscard]] const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

}  // namespace idlemeter::cli
