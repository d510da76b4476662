// A meter that runs beside a test, without a display.
#pragma once

#include <gtest/gtest.h>
#include <signal.h>
#include <sys/eventfd.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <functional>
#include <limits>
#include <list>
#include <mutex>
#include <nlohmann/json.hpp>
#include <thread>

#include "base/local_socket.hpp"
#include "base/private_socket.hpp"
#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "idlemeter/meter/watch.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/sources/feed.hpp"
#include "link/probe_end.hpp"
#include "meter/entrance/process.hpp"

namespace idlemeter::testing {

using namespace base;

using nlohmann::json;

inline constexpr const char* kRate = "[[row]]\nlabel = \"Rate\"\ncells = [ { reading = \"frame.rate\" } ]\n";
inline constexpr const char* kTrace = "[[row]]\ncells = [ { reading = \"frame.time\", as = \"trace\" } ]\n";

/// A meter that runs beside the test.
class Session : public ::testing::Test {
 protected:
  Session() {
    ::unsetenv("DISPLAY");
    folder_.file("rate.toml", kRate);
    folder_.file("trace.toml", kTrace);
    MeterOptions options;
    options.folder = folder_ / "session";
    options.store = folder_ / "runs.db";
    options.faces = {"rate", "trace"};
    options.face_of = [](const std::filesystem::path&) { return std::string("rate"); };
    options.file_of = [this](const std::string& name) {
      const auto file = folder_ / (name + ".toml");
      if (!std::filesystem::exists(file)) throw Error(Error::Code::not_found, "no such face", name);
      return file;
    };
    options.log = [this](const std::string& line) {
      const std::lock_guard lock(log_mutex_);
      log_ += line + "\n";
    };
    start(std::move(options));
  }

  void start(MeterOptions options) {
    options_ = options;
    meter_ = std::make_unique<Meter>(std::move(options));
    meter_->watch(stop_, [this] { meter_->stop(); });
    ::setenv(link::kVariable, meter_->link_socket().c_str(), 1);
    thread_ = std::thread([this] { meter_->run(); });
  }

  ~Session() override {
    stop();
    ::close(stop_);
  }

  void stop() {
    if (!thread_.joinable()) return;
    const std::uint64_t one = 1;
    EXPECT_EQ(::write(stop_, &one, sizeof one), 8);
    thread_.join();
  }

  [[nodiscard]] std::filesystem::path control() const {
    return folder_ / ("session/" + std::to_string(::getpid()) + ".control");
  }

  [[nodiscard]] json tell(const std::string& command) const { return json::parse(tell_meter(control(), command)); }

  /// Presents until the state holds, for at most a minute.
  template <typename Holds>
  json play_until(link::ProbeEnd& probe, Holds holds, std::uint32_t width = 640) {
    json state;
    for (int i = 0; i < 6'000; ++i) {
      link::FrameEntry frame;
      frame.present = monotonic_now();
      frame.drawable = 1;
      frame.width = width;
      frame.height = 360;
      frame.gpu_work = kMillisecond;
      probe.add(frame, {link::Api::vulkan, 1, 3});
      ::usleep(2'000);
      if (i % 10 != 0) continue;
      state = tell(R"({"do": "state"})");
      if (holds(state)) return state;
    }
    ADD_FAILURE() << "not in time: " << state;
    return state;
  }

  static bool has_frames(const json& state) { return !state["games"].empty() && state["games"][0]["frames"] > 20; }

  [[nodiscard]] std::string log() {
    const std::lock_guard lock(log_mutex_);
    return log_;
  }

  /// Replaces the meter by one with other options.
  void restart(const std::function<void(MeterOptions&)>& change) {
    stop();
    meter_.reset();
    std::uint64_t times = 0;
    EXPECT_EQ(::read(stop_, &times, sizeof times), 8);
    change(options_);
    start(options_);
  }

  testing::Folder folder_;
  MeterOptions options_;
  std::mutex log_mutex_;
  std::string log_;
  std::unique_ptr<Meter> meter_;  // logs until it ends
  int stop_ = ::eventfd(0, EFD_CLOEXEC);
  std::thread thread_;
};

}  // namespace idlemeter::testing
