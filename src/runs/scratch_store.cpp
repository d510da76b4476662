#include "runs/scratch_store.hpp"

#include <stdlib.h>

#include <cerrno>
#include <system_error>

#include "idlemeter/base/error.hpp"

namespace idlemeter::runs {

ScratchStore::ScratchStore() {
  std::error_code failed;
  const auto temporary = std::filesystem::temp_directory_path(failed);
  std::string name = (failed ? "/tmp" : temporary.string()) + "/idlemeter-XXXXXX";
  if (::mkdtemp(name.data()) == nullptr)
    throw Error(Error::Code::unwritable,
                "cannot make a temporary folder (" + std::generic_category().message(errno) + ")", name,
                "name a folder that you may write to in $TMPDIR");
  folder_ = name;
  store_ = std::make_unique<Store>(folder_ / "runs.db");
}

ScratchStore::~ScratchStore() {
  store_.reset();
  std::error_code ignored;
  std::filesystem::remove_all(folder_, ignored);
}

}  // namespace idlemeter::runs
