// The machine's own sources on small trees: what a file says is what the reading is.
#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/machine.hpp"

namespace idlemeter {
namespace {

/// A tree of files and the machine that reads it.
class Tree : public testing::Folder {
 public:
  /// Samples a second later than the last time.
  Snapshot sample() {
    if (!polling_) polling_.emplace(machine_sources({.root = path()}));
    return polling_->sample(now_ += kSecond);
  }

  /// Two samples with `change` between them.
  template <typename Change>
  Snapshot sample_after(Change change) {
    (void)sample();
    change(*this);
    return sample();
  }

 private:
  std::optional<Polling> polling_;
  Nanoseconds now_ = 0;
};

double value(const Snapshot& values, const std::string& id) {
  const auto entry = values.find(id);
  return entry.value == nullptr ? -999 : number(*entry.value).value_or(-998);
}

std::string reason(const Snapshot& values, const std::string& id) {
  const auto entry = values.find(id);
  const auto* missing = entry.value == nullptr ? nullptr : std::get_if<Missing>(entry.value);
  return missing == nullptr ? "" : missing->reason;
}

TEST(Processor, LoadIsTheShareOfTicksNotIdle) {
  Tree tree;
  tree.file("proc/stat", "cpu  100 0 100 800 0 0 0 0 0 0\ncpu0 50 0 50 400 0 0 0 0\ncpu1 50 0 50 400 0 0 0 0\n");
  const Snapshot values = tree.sample_after([](Tree& t) {
    t.file("proc/stat", "cpu  130 10 110 840 10 0 0 0 0 0\ncpu0 80 10 60 400 0 0 0 0\ncpu1 50 0 50 490 10 0 0 0\n");
  });
  EXPECT_DOUBLE_EQ(value(values, "cpu.load"), 50);
  EXPECT_DOUBLE_EQ(value(values, "cpu.user"), 40);
  EXPECT_DOUBLE_EQ(value(values, "cpu.system"), 10);
  EXPECT_DOUBLE_EQ(value(values, "cpu.iowait"), 10);
  EXPECT_DOUBLE_EQ(value(values, "cpu.core0.load"), 100);
  EXPECT_DOUBLE_EQ(value(values, "cpu.core1.load"), 0);
}

TEST(Processor, CountersThatGoBackAreMissingOnceAndGoOn) {
  Tree tree;
  tree.file("proc/stat", "cpu  500 0 500 800 0 0 0 0\n");
  const Snapshot back = tree.sample_after([](Tree& t) { t.file("proc/stat", "cpu  100 0 100 900 0 0 0 0\n"); });
  EXPECT_EQ(reason(back, "cpu.load"), "no time has passed, or the counters went back");
  tree.file("proc/stat", "cpu  150 0 100 950 0 0 0 0\n");
  EXPECT_DOUBLE_EQ(value(tree.sample(), "cpu.load"), 50);
}

TEST(Processor, ClockComesFromCpufreqElseFromCpuinfo) {
  Tree tree;
  tree.file("proc/stat", "cpu 1 0 0 0\ncpu0 1 0 0 0\ncpu1 1 0 0 0\n");
  tree.file("proc/cpuinfo", "processor\t: 0\ncpu MHz\t\t: 3100.5\n\nprocessor\t: 1\ncpu MHz\t\t: 3000.0\n");
  EXPECT_DOUBLE_EQ(value(tree.sample(), "cpu.clock"), 3100.5);
  tree.file("sys/devices/system/cpu/cpu1/cpufreq/scaling_cur_freq", "4850000\n");
  const Snapshot values = tree.sample();
  EXPECT_DOUBLE_EQ(value(values, "cpu.clock"), 4850);
  EXPECT_DOUBLE_EQ(value(values, "cpu.core1.clock"), 4850);
}

TEST(Memory, UsedIsWhatIsNotAvailable) {
  Tree tree;
  tree.file("proc/meminfo",
            "MemTotal: 8388608 kB\nMemAvailable: 2097152 kB\nCached: 1024 kB\nSwapTotal: 0 kB\nSwapFree: 0 kB\n");
  const Snapshot values = tree.sample();
  EXPECT_DOUBLE_EQ(value(values, "ram.used"), 6144);
  EXPECT_DOUBLE_EQ(value(values, "ram.load"), 75);
  EXPECT_DOUBLE_EQ(value(values, "swap.total"), 0);
  EXPECT_EQ(reason(values, "swap.load"), "there is none");
}

TEST(Hwmon, ReadingsAreNamedByWhatTheyMeasure) {
  Tree tree;
  const struct {
    const char* file;
    const char* text;
  } files[] = {{"hwmon4/name", "k10temp"},      {"hwmon4/temp1_label", "Tctl"},
               {"hwmon4/temp1_input", "61250"}, {"hwmon4/temp3_label", "Tccd1"},
               {"hwmon4/temp3_input", "64000"}, {"hwmon0/name", "nct6798"},
               {"hwmon0/fan2_input", "812"},    {"hwmon0/in0_label", "Vcore"},
               {"hwmon0/in0_input", "1212"},    {"hwmon0/pwm2", "128"},
               {"hwmon0/temp7_label", "temp7"}, {"hwmon0/temp7_input", "-5000"},
               {"hwmon9/name", "coretemp"},     {"hwmon9/temp2_label", "Core 0"},
               {"hwmon9/temp2_input", "55000"}, {"hwmon9/power1_average", "9000000"}};
  for (const auto& f : files) tree.file(std::string("sys/class/hwmon/") + f.file, std::string(f.text) + "\n");
  const Snapshot values = tree.sample();
  const struct {
    const char* id;
    double value;
  } expected[] = {{"cpu.temp", 61.25},         {"cpu.chiplet1.temp", 64},        {"cpu.core0.temp", 55},
                  {"nct6798.fan2.speed", 812}, {"nct6798.vcore.voltage", 1.212}, {"nct6798.pwm2.duty", 12800 / 255.0},
                  {"nct6798.temp7.temp", -5},  {"coretemp.power1.power", 9}};
  for (const auto& e : expected) EXPECT_DOUBLE_EQ(value(values, e.id), e.value) << e.id;
  EXPECT_EQ(values.find("nct6798.vcore.voltage").info->title, "Vcore voltage");
}

TEST(Hwmon, IdsFollowTheDeviceNotTheChipsNumber) {
  Tree tree;
  const auto add = [&](const char* number, const char* device, const char* millidegrees) {
    const std::string folder = std::string("sys/devices/") + device + "/hwmon/" + number;
    tree.file(folder + "/name", "nvme\n");
    tree.file(folder + "/temp1_input", millidegrees);
    std::filesystem::create_directories(tree / "sys/class/hwmon");
    std::filesystem::create_directory_symlink(tree.path() / ("sys/devices/" + std::string(device)),
                                              tree.path() / folder / "device");
    std::filesystem::create_directory_symlink(tree.path() / folder, tree.path() / "sys/class/hwmon" / number);
  };
  add("hwmon7", "pci-1", "41000");
  add("hwmon2", "pci-2", "52000");
  const Snapshot values = tree.sample();
  EXPECT_DOUBLE_EQ(value(values, "nvme.temp1.temp"), 41);
  EXPECT_DOUBLE_EQ(value(values, "nvme2.temp1.temp"), 52);
}

TEST(Sensors, ThatFailAreMissingWithTheReasonAndTheOthersGoOn) {
  Tree tree;
  const std::string chip = "sys/class/hwmon/hwmon0/";
  tree.file(chip + "name", "board1\n");
  tree.file(chip + "temp1_input", "40000\n");
  tree.file(chip + "temp2_input", "warm\n");
  tree.file(chip + "temp3_input", "9e99\n");
  tree.file(chip + "temp4_input", "");
  tree.file(chip + "temp5_input", "50000\n");
  std::filesystem::create_directories(tree / (chip + "temp6_input"));  // reading a folder is an error of the kernel's
  const Snapshot values = tree.sample_after([&](Tree& t) { std::filesystem::remove(t / (chip + "temp5_input")); });
  EXPECT_DOUBLE_EQ(value(values, "board1.temp1.temp"), 40);
  EXPECT_NE(reason(values, "board1.temp2.temp").find("holds no number: 'warm'"), std::string::npos);
  EXPECT_NE(reason(values, "board1.temp3.temp").find("holds no number"), std::string::npos);
  EXPECT_NE(reason(values, "board1.temp4.temp").find("holds no number: ''"), std::string::npos);
  EXPECT_NE(reason(values, "board1.temp5.temp").find("No such file"), std::string::npos);
  EXPECT_NE(reason(values, "board1.temp6.temp").find("Is a directory"), std::string::npos);
}

TEST(Machine, WithNothingHasMissingReadingsAndNoFailure) {
  Tree tree;
  const Snapshot values = tree.sample();
  EXPECT_NE(reason(values, "cpu.load").find("proc/stat: No such file"), std::string::npos);
  EXPECT_NE(reason(values, "ram.used").find("proc/meminfo: No such file"), std::string::npos);
  for (const auto& entry : values.entries()) EXPECT_FALSE(number(*entry.value)) << entry.info->id;
}

}  // namespace
}  // namespace idlemeter
