#include "idlemeter/readings/sampler.hpp"

#include <gtest/gtest.h>

#include <atomic>
#include <future>
#include <stdexcept>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"

namespace idlemeter {
namespace {

using namespace std::chrono_literals;

/// A source whose answers a test writes.
class Scripted : public Source {
 public:
  using Sample = std::function<bool(Moment, std::span<Value>)>;

  Scripted(std::string name, std::vector<std::string> ids, Sample sample)
      : name_(std::move(name)), ids_(std::move(ids)), sample_(std::move(sample)) {}

  std::string name() const override { return name_; }
  std::vector<ReadingInfo> discover() override {
    std::vector<ReadingInfo> infos;
    for (const std::string& id : ids_) infos.push_back({id, "", "", ""});
    return infos;
  }
  bool sample(Moment now, std::span<Value> values) override { return sample_(now, values); }

 private:
  std::string name_;
  std::vector<std::string> ids_;
  Sample sample_;
};

Sources one(std::unique_ptr<Source> source) {
  Sources sources;
  sources.push_back(std::move(source));
  return sources;
}

std::string reason(const Snapshot& snapshot, const char* id) {
  const auto* missing = std::get_if<Missing>(snapshot.find(id).value);
  return missing == nullptr ? "" : missing->reason;
}

TEST(Polling, SamplesOnTheCallersClock) {
  Polling polling(one(std::make_unique<Scripted>("clock", std::vector<std::string>{"t"}, [](Moment now, auto values) {
    values[0] = in_seconds(now.time_since_epoch());
    return true;
  })));
  EXPECT_EQ(number(*polling.sample(Moment{42 * kSecond}).find("t").value), 42.0);
}

TEST(Polling, AThrowingSourceIsMissingWithItsMessage) {
  Polling polling(one(std::make_unique<Scripted>("bad", std::vector<std::string>{"a"}, [](Moment, auto) -> bool {
    throw std::runtime_error("the bus is gone");
  })));
  EXPECT_EQ(reason(polling.sample(Moment{1 * kSecond}), "a"), "the bus is gone");
}

TEST(Polling, ANumberIsAlwaysFinite) {
  Polling polling(one(std::make_unique<Scripted>("odd", std::vector<std::string>{"a", "b"}, [](Moment, auto values) {
    values[0] = std::numeric_limits<double>::quiet_NaN();
    values[1] = std::numeric_limits<double>::infinity();
    return true;
  })));
  const Snapshot values = polling.sample(Moment{1 * kSecond});
  EXPECT_EQ(reason(values, "a"), "not a number");
  EXPECT_EQ(reason(values, "b"), "not a number");
}

TEST(Polling, ADuplicateIdIsReportedAndNeverSampled) {
  int samples = 0;
  Polling polling(one(std::make_unique<Scripted>("twins", std::vector<std::string>{"a", "a"}, [&](Moment, auto) {
    ++samples;
    return true;
  })));
  for (Moment now : {Moment{kSecond}, Moment{2 * kSecond}}) {
    const Snapshot values = polling.sample(now);
    EXPECT_TRUE(values.entries().empty());
    ASSERT_EQ(values.problems().size(), 1u);
    EXPECT_EQ(values.problems()[0].source, "twins");
    EXPECT_EQ(values.problems()[0].reason, "it has 'a' twice");
  }
  EXPECT_EQ(samples, 0);
}

/// Comes and goes with every sample.
class Dock : public Source {
 public:
  std::string name() const override { return "dock"; }
  std::vector<ReadingInfo> discover() override {
    there_ = !there_;
    return there_ ? std::vector<ReadingInfo>{{"dock.power", "", "", ""}} : std::vector<ReadingInfo>{};
  }
  bool sample(Moment, std::span<Value> values) override {
    if (!values.empty()) values[0] = 65.0;
    return false;
  }

 private:
  bool there_ = false;
};

TEST(Polling, DevicesComeAndGo) {
  Polling polling(one(std::make_unique<Dock>()));
  const Snapshot before = polling.sample(Moment{1 * kSecond});
  EXPECT_EQ(number(*before.find("dock.power").value), 65.0);
  EXPECT_EQ(polling.sample(Moment{2 * kSecond}).find("dock.power").info, nullptr);
  EXPECT_NE(polling.sample(Moment{3 * kSecond}).find("dock.power").info, nullptr);
  EXPECT_EQ(number(*before.find("dock.power").value), 65.0);  // an old snapshot stays what it was
}

TEST(Sampler, AStuckSourceDelaysNobodyAndIsShownMissing) {
  auto release = std::make_shared<std::promise<void>>();
  const std::shared_future<void> released = release->get_future().share();
  Sources sources;
  sources.push_back(
      std::make_unique<Scripted>("stuck", std::vector<std::string>{"stuck.temp"}, [released](Moment, auto) {
        released.wait();
        return true;
      }));
  sources.push_back(
      std::make_unique<Scripted>("lively", std::vector<std::string>{"lively.temp"}, [](Moment, auto values) {
        values[0] = 20.0;
        return true;
      }));
  {
    const Sampler sampler(std::move(sources), {.pace = 100ms, .patience = 1ms});
    Snapshot values;
    do {
      (void)sampler.wait(1'000, 10ms);
      values = sampler.snapshot();
    } while (values.entries().size() < 2 ||
             reason(values, "stuck.temp").find("the stuck source hasn't answered for") == std::string::npos);
    EXPECT_EQ(number(*values.find("lively.temp").value), 20.0);
  }  // ends although the source is still stuck
  release->set_value();
}

TEST(Sampler, SamplesAtItsPaceAndReadersNeverWaitForIt) {
  std::atomic<int> samples = 0;
  const Sampler sampler(one(std::make_unique<Scripted>("count", std::vector<std::string>{"n"},
                                                       [&](Moment, auto values) {
                                                         values[0] = static_cast<double>(++samples);
                                                         return true;
                                                       })),
                        {.pace = 100ms});
  ASSERT_TRUE(sampler.wait(3, 5s));
  std::vector<std::future<double>> readers;
  for (int i = 0; i < 4; ++i) {
    readers.push_back(std::async(std::launch::async, [&] {
      double last = 0;
      for (int j = 0; j < 2'000; ++j) last = std::max(last, number(*sampler.snapshot().find("n").value).value_or(0));
      return last;
    }));
  }
  for (auto& reader : readers) EXPECT_GE(reader.get(), 3);
}

TEST(Sampler, RefusesAPaceOutOfRange) {
  EXPECT_THROW(Sampler({}, {.pace = 99ms}), Error);
  EXPECT_THROW(Sampler({}, {.pace = 61s}), Error);
}

}  // namespace
}  // namespace idlemeter
