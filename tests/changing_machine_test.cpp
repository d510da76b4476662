// Devices that come and go, and sensors that fail or hang.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include "machine_tree.hpp"

namespace idlemeter {
namespace {

using namespace testing;

/// Ids with their values, whatever else the machine has.
void expect_values(const Snapshot& values, const std::map<std::string, double>& wanted) {
  for (const auto& [id, number] : wanted) EXPECT_DOUBLE_EQ(value(values, id), number) << id;
}

void add_zone(const Tree& tree, int zone, const std::string& type, int celsius) {
  const std::string folder = "sys/class/thermal/thermal_zone" + std::to_string(zone);
  tree.file(folder + "/type", type + "\n");
  tree.file(folder + "/temp", std::to_string(celsius * 1'000));
}

void add_chip(const Tree& tree, int chip, const std::string& name, const std::vector<std::string>& labels,
              int celsius) {
  const std::string folder = "sys/class/hwmon/hwmon" + std::to_string(chip) + "/";
  tree.file(folder + "name", name + "\n");
  for (std::size_t i = 0; i < labels.size(); ++i) {
    const std::string channel = folder + "temp" + std::to_string(i + 1);
    tree.file(channel + "_input", std::to_string((celsius + static_cast<int>(i)) * 1'000));
    if (!labels[i].empty()) tree.file(channel + "_label", labels[i] + "\n");
  }
}

TEST(Ids, AreUniqueAndStayWhileOtherDevicesComeAndGo) {
  Tree tree;
  add_zone(tree, 0, "acpitz", 30);
  add_zone(tree, 1, "acpitz", 31);
  add_zone(tree, 2, "acpitz2", 32);
  add_chip(tree, 0, "board", {"Temp3", "VRM", "", "VRM"}, 40);
  add_chip(tree, 1, "coretemp", {"Package id 0", "Core 0", "Core 0"}, 50);
  for (const char* link : {"br.lan", "br_lan"})
    tree.file(std::string("sys/class/net/") + link + "/statistics/rx_bytes", "0");
  const std::map<std::string, double> wanted = {{"thermal.acpitz.temp", 30},  {"thermal.acpitz.temp@2", 31},
                                                {"thermal.acpitz2.temp", 32}, {"board.temp3.temp", 40},
                                                {"board.temp3.temp@2", 42},   {"board.vrm.temp", 41},
                                                {"board.temp4.temp", 43},     {"cpu.temp", 50},
                                                {"cpu.core0.temp", 51},       {"cpu.core0.temp@2", 52},
                                                {"net.br_lan.down", 0},       {"net.br_lan.down@2", 8}};
  const auto more = [](Tree& t) { t.file("sys/class/net/br_lan/statistics/rx_bytes", "1000000"); };
  const Snapshot values = tree.sample_after(more);
  expect_values(values, wanted);
  EXPECT_TRUE(values.problems().empty());
  EXPECT_EQ(values.find("cpu.core0.temp@2").info->title, "Core 0 temperature (2)");

  add_chip(tree, 2, "coretemp", {"Package id 1", "Core 0"}, 60);  // a board with more processors, seen late
  add_chip(tree, 3, "coretemp", {"Package id 2", "Core 0"}, 70);
  std::filesystem::remove_all(tree / "sys/class/net/br.lan");
  for (int i = 0; i < 6; ++i) (void)tree.sample();
  const Snapshot later = tree.sample();
  expect_values(later, {{"cpu.temp", 50},
                        {"cpu.package1.temp", 60},
                        {"cpu.package1.core0.temp", 61},
                        {"cpu.package2.temp", 70},
                        {"net.br_lan.down@2", 0}});
  EXPECT_EQ(later.find("net.br_lan.down").info, nullptr) << "its number stays with the link";
}

TEST(Ids, StayWithAChipThatReappearsElsewhere) {
  Tree tree;
  add_chip(tree, 0, "nvme", {""}, 40);
  add_chip(tree, 1, "nvme", {""}, 50);
  expect_values(tree.sample(), {{"nvme.temp1.temp", 40}, {"nvme2.temp1.temp", 50}});
  std::filesystem::rename(tree / "sys/class/hwmon/hwmon0", tree / "sys/class/hwmon/hwmon7");
  for (int i = 0; i < 6; ++i) (void)tree.sample();
  expect_values(tree.sample(), {{"nvme.temp1.temp", 40}, {"nvme2.temp1.temp", 50}});
}

TEST(Hwmon, EachChipIsASourceSoThatAStuckOneDelaysNoOther) {
  Tree tree;
  add_chip(tree, 0, "one", {""}, 40);
  add_chip(tree, 1, "two", {""}, 40);
  std::set<std::string> names;
  for (const auto& source : machine_sources({.root = tree.path(), .graphics_library = ""}))
    names.insert(source->name());
  EXPECT_TRUE(names.contains("hwmon one") && names.contains("hwmon two"));
}

TEST(Sensors, ThatArePipesAreNotWaitedFor) {
  Tree tree;
  add_chip(tree, 0, "odd", {"Coolant", ""}, 40);
  const auto replace = [&](const std::string& name) {
    std::filesystem::remove(tree / ("sys/class/hwmon/hwmon0/" + name));
    ASSERT_EQ(mkfifo((tree / ("sys/class/hwmon/hwmon0/" + name)).c_str(), 0600), 0);
  };
  replace("temp1_label");
  replace("temp2_input");
  const Snapshot values = tree.sample();
  expect_values(values, {{"odd.temp1.temp", 40}});
  EXPECT_NE(reason(values, "odd.temp2.temp").find("is a pipe"), std::string::npos);
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

TEST(Machine, WithNothingHasMissingReadingsAndDoesNotFail) {
  Tree tree;
  const Snapshot values = tree.sample();
  EXPECT_NE(reason(values, "cpu.load").find("proc/stat: No such file"), std::string::npos);
  EXPECT_NE(reason(values, "ram.used").find("proc/meminfo: No such file"), std::string::npos);
  for (const auto& entry : values.entries()) EXPECT_FALSE(number(*entry.value)) << entry.info->id;
}

}  // namespace
}  // namespace idlemeter
