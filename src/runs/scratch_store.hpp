// A store for what may still turn out to be wrong.
#pragma once

#include <filesystem>
#include <memory>

#include "idlemeter/runs/store.hpp"

namespace idlemeter::runs {

/// An empty store in a temporary folder, gone at the end. Throws Error if it can't be made.
class ScratchStore {
 public:
  ScratchStore();
  ScratchStore(const ScratchStore&) = delete;
  ScratchStore& operator=(const ScratchStore&) = delete;
  ~ScratchStore();

  [[nodiscard]] Store& store() { return *store_; }

 private:
  std::filesystem::path folder_;
  std::unique_ptr<Store> store_;
};

}  // namespace idlemeter::runs
