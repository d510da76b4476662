#include "runs/store/new_store.hpp"

#include <string.h>

#include <cerrno>
#include <string>

#include "base/unnamed_file.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

namespace fs = std::filesystem;

namespace runs {
namespace {

[[noreturn]] void refuse_existing(const fs::path& file) {
  throw Error(Error::Code::exists, "already exists", file.string(), "name a new file, or add the runs to it");
}

void remove_store(const fs::path& file) {
  std::error_code none;
  for (const char* ending : {"", "-wal", "-shm", "-journal"}) fs::remove(file.string() + ending, none);
}

}  // namespace

void make_store(const fs::path& file, const std::function<void(const fs::path&)>& fill) {
  std::error_code failed;
  if (fs::exists(fs::symlink_status(file, failed))) refuse_existing(file);
  if (file.has_parent_path()) fs::create_directories(file.parent_path(), failed);  // the store's opening says why not
  const fs::path beside = base::name_beside(file);
  try {
    fill(beside);
    const int error = base::rename_to_new(beside, file);
    if (error == EEXIST) refuse_existing(file);
    if (error != 0) throw Error(Error::Code::unwritable, ::strerror(error), file.string());
  } catch (const Error& error) {
    remove_store(beside);
    if (error.where() != beside.string()) throw;
    throw Error(error.code(), error.problem(), file.string(), error.fix(), error.hint());
  } catch (...) {
    remove_store(beside);
    throw;
  }
}

}  // namespace runs

void fill_store(const fs::path& file, const std::function<void(Store&)>& fill) {
  std::error_code failed;
  if (fs::exists(file, failed)) {
    Store store(file);
    return fill(store);
  }
  runs::make_store(file, [&](const fs::path& beside) {
    Store store(beside);
    fill(store);
  });
}

}  // namespace idlemeter
