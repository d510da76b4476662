// Gives the newest values of the machine to the threads that answer the page.
#pragma once

#include <functional>
#include <memory>
#include <mutex>
#include <string>

#include "desk/wire.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/desk/desk.hpp"

namespace idlemeter::desk {

/// Any thread: one at a time is served.
class Readings {
 public:
  explicit Readings(std::unique_ptr<DeskValues> values) : values_(std::move(values)) {}

  /// Those that have all words of the query, with their values and the recent past of the numbers.
  [[nodiscard]] Json list(const std::string& query);

  /// Calls with the newest values, among them these statistics of frames, and their past.
  void use(const std::vector<std::string>& ids, const std::function<void(const Snapshot&, const History&)>& take);

 private:
  const Snapshot& newest();

  std::mutex mutex_;
  std::unique_ptr<DeskValues> values_;
  Snapshot snapshot_;
  Moment taken_{};
  std::vector<std::string> asked_;
};

}  // namespace idlemeter::desk
