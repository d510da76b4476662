// A live session in the process of a test: no display, no socket, no threads, and a clock that the test sets.
#pragma once

#include <gtest/gtest.h>
#include <stdio.h>

#include <chrono>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <thread>
#include <utility>
#include <vector>

#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/write_starter.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "meter/session/live_session.hpp"
namespace idlemeter::meter {

/// A game that presents every 10 ms of the test's clock, and counts the pictures that it is given.
class Steady final : public Attachment {
 public:
  Steady(const Moment& now, int pid) : now_(now), next_(now), pid_(pid) {}

  [[nodiscard]] pid_t pid() const override { return pid_; }
  [[nodiscard]] std::string api() const override { return "Vulkan 1.3"; }
  std::uint32_t drain(std::vector<link::FrameEntry>& into) override {
    for (; next_ <= now_; next_ += 10 * kMillisecond) {
      link::FrameEntry frame;
      frame.present = next_;
      frame.drawable = 1;
      frame.width = 640;
      frame.height = 360;
      into.push_back(frame);
    }
    return std::exchange(losing, 0);
  }
  [[nodiscard]] bool is_closed() const override { return closes; }
  [[nodiscard]] std::string driver() const override { return "Marl 24.1"; }
  [[nodiscard]] bool takes_pictures() const override { return true; }
  void publish(const Image&, int, int) override { ++pictures; }
  void show(bool visible) override { visible_ = visible; }
  void beat(Moment now) override { beat_ = now; }

  int pictures = 0;
  std::uint32_t losing = 0;
  bool closes = true;
  bool visible_ = false;
  Moment beat_{};

 private:
  const Moment& now_;
  Moment next_;
  int pid_;
};

class ALiveSession : public ::testing::Test {
 protected:
  ALiveSession() {
    for (const char* name : {"rate", "benchmark"})
      write_starter(*find_starter(name), folder_ / (std::string(name) + ".toml"));
    restart();
  }

  void restart(std::function<bool()> is_ending = {}) {
    MeterOptions options;
    options.is_ending = std::move(is_ending);
    options.store = folder_ / "runs.db";
    options.faces = {"rate", "benchmark"};
    options.face_of = [](const std::filesystem::path&) { return std::string("rate"); };
    options.file_of = [this](const std::string& name) { return folder_ / (name + ".toml"); };
    options.settings.recording = recording_;
    options.settings.figures = figures_;
    options.is_silent = [this] { ++silences_; };
    options.log = [this](const std::string& line) { log_ += line + "\n"; };
    session_.emplace(options,
                     Surroundings{[this] { return now_; }, [this] { return Snapshot(now_, {}); },
                                  [this] { return machine_known_; }, [this](int pid) { games_.push_back(pid); },
                                  [this] { ++handed_over_; }, [this](const Cue& cue) { cues_.push_back(cue.text); }});
  }

  Steady& add_game(int pid = 77) {
    auto game = std::make_unique<Steady>(now_, pid);
    Steady& kept = *game;
    last_ = session_->add_game(std::move(game));
    return kept;
  }

  void play(double seconds) {
    for (const Moment end = now_ + from_seconds(seconds); now_ < end;) {
      now_ += kTick * kMillisecond;
      session_->tick();
    }
  }

  /// The answer, once it is there. The clock stands meanwhile, so that the disk's thread has as long as it needs.
  MeterAnswer tell(const MeterCommand& command) {
    return answer_to(command, [this] {
      std::this_thread::sleep_for(std::chrono::milliseconds(1));
      session_->tick();
    });
  }

  /// The same, but the clock goes on.
  MeterAnswer tell_meanwhile(const MeterCommand& command) {
    return answer_to(command, [this] { play(0.001); });
  }

  MeterAnswer answer_to(const MeterCommand& command, const std::function<void()>& wait) {
    std::optional<MeterAnswer> answer;
    session_->obey(command, [&](const MeterAnswer& given) { answer = given; });
    for (int i = 0; i < 60'000 && !answer; ++i) wait();
    return answer.value_or(MeterAnswer{.error = "no answer"});
  }

  static std::string output_of(const std::string& command) {
    FILE* pipe = ::popen(command.c_str(), "r");
    std::string text(1'000, '\0');
    text.resize(std::fread(text.data(), 1, text.size(), pipe));
    ::pclose(pipe);
    return text;
  }

  [[nodiscard]] MeterState state() { return *tell({.what = MeterCommand::What::state}).state; }

  testing::Folder folder_;
  Moment now_{1'000 * kSecond};
  RecordingChoices recording_;
  std::map<std::string, std::vector<std::string>> figures_;
  bool machine_known_ = true;
  std::vector<int> games_;
  int handed_over_ = 0, silences_ = 0;
  std::vector<std::string> cues_;
  std::string log_;
  std::optional<LiveSession> session_;
  Game* last_ = nullptr;
};

}  // namespace idlemeter::meter
