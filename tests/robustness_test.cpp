// Anything may come from outside: readers of files and lines survive it, and report what is wrong or use what is right.
#include <gtest/gtest.h>

#include <limits>
#include <random>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/frame_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/settings.hpp"
#include "sources/own/open_metrics.hpp"

namespace idlemeter {
namespace {

/// Changes, drops, doubles and swaps parts of a text; the same for the same seed.
class Mutator {
 public:
  explicit Mutator(unsigned seed) : random_(seed) {}

  std::string operator()(std::string text) {
    for (std::size_t changes = 1 + at(4); changes > 0 && !text.empty(); --changes) change(text);
    return text;
  }

 private:
  std::size_t at(std::size_t size) { return size == 0 ? 0 : random_() % size; }

  void change(std::string& text) {
    static const std::string kWords[] = {"[[row]]\n",  "[[pin]]\n", "= ",   "\"",     "{",          "}",
                                         "[",          "]",         "\n",   "-1e309", "nan",        "0",
                                         "9999999999", "\xff\xfe",  "true", "#",      "{gpu.load:", "%H"};
    const std::size_t place = at(text.size()), length = at(12);
    switch (at(5)) {
      case 0:
        text[place] = static_cast<char>(random_());
        break;
      case 1:
        text.erase(place, length);
        break;
      case 2:
        text.insert(place, kWords[at(std::size(kWords))]);
        break;
      case 3:
        text.insert(place, text.substr(at(text.size()), length * 4));
        break;
      default:
        text.resize(place);
        break;
    }
  }

  std::mt19937 random_;
};

Snapshot some_values() {
  FrameReadings frames;
  frames.add({{}, 10 * kMillisecond});
  return Snapshot({}, {frames.batch({})});
}

TEST(Robustness, AnyFaceIsReadOrRefusedAndWhatIsReadCanBeDrawn) {
  Mutator mutate(1);
  Painter painter;
  const Snapshot values = some_values();
  int read = 0, refused = 0;
  for (int i = 0; i < 3'000; ++i) {
    const std::string text = mutate(std::string(starters()[static_cast<std::size_t>(i) % starters().size()].toml));
    const FaceParse reading = parse_face(text);
    ASSERT_NE(reading.face.has_value(), !reading.findings.empty()) << text;
    ++(reading.face ? read : refused);
    if (!reading.face || i % 4 != 0) continue;
    Image image(320, 180);
    painter.draw(lay_out(*reading.face, 320, 180, values, History{}, painter), image);
  }
  EXPECT_GT(read, 100);
  EXPECT_GT(refused, 1'000);
}

TEST(Robustness, AnySettingsAreReadOrRefused) {
  const std::string whole =
      "pace = \"1 s\"\npaces = { hwmon = \"2 s\" }\nfacts = { \"cpu.name\" = \"x\" }\n[[computed]]\nid = "
      "\"own.a\"\nformula = \"max(gpu.load, 2) / cpu.load@1%\"\n"
      "[[computed]]\nid = \"own.b\"\nof = \"gpu.load\"\nover = \"3 s\"\n[[command]]\nid = \"own.c\"\nrun = [\"echo\", "
      "\"1\"]\n[feed]\nage = \"2 s\"\n";
  Mutator mutate(2);
  int read = 0;
  for (int i = 0; i < 3'000; ++i) {
    const SettingsParse reading = parse_settings(mutate(whole));
    ASSERT_NE(reading.settings.has_value(), !reading.findings.empty());
    read += reading.settings ? 1 : 0;
    if (reading.settings)
      ComputedReadings computed(reading.settings->computed);  // every formula that was read can be used
  }
  EXPECT_GT(read, 100);
}

TEST(Robustness, AnyLineOfMetricsIsTakenOrRefused) {
  Mutator mutate(3);
  int taken = 0;
  for (int i = 0; i < 30'000; ++i) {
    const auto line =
        sources::metric_line(mutate("queue_depth{stage=\"sha\\\"dow\",pass=\"two\"} 3.5e2 1772395200 # {a=\"b\"} 1"));
    if (!line || line->kind != sources::MetricLine::Kind::sample) continue;
    ++taken;
    ASSERT_FALSE(line->name.empty());
    ASSERT_TRUE(std::isfinite(line->value));
  }
  EXPECT_GT(taken, 1'000);
}

TEST(Robustness, ImpossibleTimesAreNoHistory) {
  constexpr Moment kMost = Moment::max(), kLeast = Moment::min();
  History history(Nanoseconds::max(), 0);
  for (Moment at : {kMost, kLeast, Moment{}, kLatestMoment, kEarliestMoment, kLatestMoment + Nanoseconds{1}})
    history.add("a", at, 1);
  ASSERT_NE(history.of("a"), nullptr);
  EXPECT_EQ(history.of("a")->size(), 1u) << "a moment that falls begins again";
  EXPECT_EQ(history.of("a")->back().at, kEarliestMoment);
}

TEST(Robustness, ADamagedStoreIsAnErrorOrReadsWhatIsLeft) {
  const testing::Folder folder;
  {
    Store store(folder / "whole.db");
    Recorder recorder(store, {.game = "Tidepool Rally", .note = {}, .tags = {"a"}});
    for (int i = 1; i <= 3'000; ++i) recorder.add({Moment{i * 10 * kMillisecond}, 10 * kMillisecond, Nanoseconds{5}});
    recorder.add(Moment{kSecond}, some_values());
    recorder.finish();
  }
  const std::string whole = testing::text_of(folder / "whole.db");
  ASSERT_GT(whole.size(), 20'000u);
  std::mt19937 random(4);
  int errors = 0;
  for (int i = 0; i < 60; ++i) {
    std::string damaged = whole;
    for (int hit = 0; hit < 40; ++hit) damaged[random() % damaged.size()] = static_cast<char>(random());
    if (i % 3 == 0) damaged.resize(random() % damaged.size());
    const auto file = folder.file("damaged" + std::to_string(i) + ".db", damaged);
    try {
      const Store store(file, Store::Mode::existing);
      for (const RunInfo& run : store.runs()) {
        (void)store.frames(run.id);
        (void)store.series(run.id);
        (void)summarize(store.intervals(run.id));
      }
    } catch (const Error& error) {
      ++errors;
      EXPECT_EQ(std::string(error.what()).find(file.string()), 0u) << error.what();
    }
  }
  EXPECT_GT(errors, 20);
}

}  // namespace
}  // namespace idlemeter
