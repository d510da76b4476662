// What tests of stores share.
#pragma once

#include <gtest/gtest.h>
#include <sqlite3.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/recorder.hpp"

namespace idlemeter::testing {

/// A clock that a test moves.
struct Clock {
  Moment now{};
  Recorder::Clock function() {
    return [this] { return now; };
  }
};

inline std::string message_of(const std::function<void()>& call) {
  try {
    call();
  } catch (const Error& error) {
    return error.what();
  }
  return "";
}

inline Snapshot snapshot_of(std::vector<ReadingInfo> infos, std::vector<Value> values) {
  return Snapshot(
      {},
      {std::make_shared<Batch>(Batch{std::make_shared<const ReadingList>(std::move(infos)), std::move(values), {}})});
}

inline const ReadingInfo kLoad{"gpu.load", "GPU load", "GPU", "Marl G9", DeviceKind::graphics, Unit::percent, "a file"};
inline const ReadingInfo kTemp{"gpu.temp",           "GPU temperature", "GPU",    "Marl G9",
                               DeviceKind::graphics, Unit::celsius,     "a file", 1};
inline const ReadingInfo kApi{"game.api", "Graphics API", "API", "Game", DeviceKind::game,
                              Unit::none, "the game",     -1,    true};

/// Changes a store in ways that Idle Meter never does.
inline void change(const std::filesystem::path& store, const std::string& sql) {
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open(store.c_str(), &database), SQLITE_OK);
  EXPECT_EQ(sqlite3_exec(database, sql.c_str(), nullptr, nullptr, nullptr), SQLITE_OK) << sqlite3_errmsg(database);
  sqlite3_close(database);
}

inline std::int64_t count_of(const std::filesystem::path& store, const std::string& sql) {
  sqlite3* database = nullptr;
  EXPECT_EQ(sqlite3_open(store.c_str(), &database), SQLITE_OK);
  sqlite3_stmt* statement = nullptr;
  EXPECT_EQ(sqlite3_prepare_v2(database, sql.c_str(), -1, &statement, nullptr), SQLITE_OK) << sqlite3_errmsg(database);
  const std::int64_t count = sqlite3_step(statement) == SQLITE_ROW ? sqlite3_column_int64(statement, 0) : -1;
  sqlite3_finalize(statement);
  sqlite3_close(database);
  return count;
}

/// What a call does as another user, who may read the folder but not write to it.
inline std::string as_nobody(const std::function<std::string()>& call) {
  int ends[2];
  if (::pipe(ends) != 0) return "no pipe";
  const pid_t child = ::fork();
  if (child == 0) {
    if (::geteuid() == 0 && ::setuid(65534) != 0) ::_exit(1);
    const std::string text = message_of([&] { throw Error(Error::Code::failed, call()); });
    ::_exit(::write(ends[1], text.data(), text.size()) == static_cast<ssize_t>(text.size()) ? 0 : 1);
  }
  ::close(ends[1]);
  std::string text(4'096, '\0');
  text.resize(static_cast<std::size_t>(std::max<ssize_t>(0, ::read(ends[0], text.data(), text.size()))));
  ::close(ends[0]);
  ::waitpid(child, nullptr, 0);
  return text;
}

}  // namespace idlemeter::testing
