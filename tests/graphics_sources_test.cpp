// Graphics cards by the kernel's files.
#include <gtest/gtest.h>

#include <cstring>

#include "machine_tree.hpp"

namespace idlemeter {
namespace {

using namespace testing;

/// A card with the files that identify it.
void add_card(const Tree& tree, int number, const std::string& slot, const std::string& board, const char* load) {
  const std::string device = "sys/devices/" + slot;
  tree.file(device + "/board_info", board);
  tree.file(device +
                "/gpu_"
                "busy_percent",
            load);
  tree.file(device + "/vendor", "0x1d1e");
  tree.file(device + "/device", number == 0 ? "0x0900" : "0x0020");
  const auto card = tree / ("sys/class/drm/card" + std::to_string(number));
  std::filesystem::create_directories(card);
  std::filesystem::create_directory_symlink(tree / device, card / "device");
  tree.file("usr/share/misc/pci.ids", "1d1e  Marl Graphics\n\t0900  Heron 4 [Marl G9]\n\t0020  Finch\n");
}

TEST(Graphics, TheGamesCardIsTheDiscreteOneUnlessItsProcessSaysOtherwise) {
  Tree tree;
  add_card(tree, 1, "0000:0e:00.0", "type : apu", "7");
  add_card(tree, 0, "0000:03:00.0", "type : cem", "90");
  const Snapshot values = tree.sample();
  EXPECT_EQ(values.find("gpu.load").info->device, "Marl G9");
  EXPECT_DOUBLE_EQ(value(values, "gpu.load"), 90);
  EXPECT_DOUBLE_EQ(value(values, "gpu0.load"), 90);
  EXPECT_DOUBLE_EQ(value(values, "gpu1.load"), 7);
  EXPECT_EQ(values.find("gpu1.load").info->device, "Finch");
  EXPECT_EQ(values.find("gpu0.load").info->id, "gpu.load") << "the game's card is listed once, under both ids";

  tree.file("proc/77/fdinfo/3", "drm-client-id:\t1\ndrm-pdev:\t0000:0e:00.0\ndrm-engine-gfx:\t100 ns\n");
  Polling on_integrated(machine_sources({.root = tree.path(), .game = std::make_shared<GamePid>(77)}));
  EXPECT_DOUBLE_EQ(value(on_integrated.sample(Moment{kSecond}), "gpu.load"), 7);
}

TEST(Graphics, FollowTheGameWhileTheyAreInUse) {
  Tree tree;
  add_card(tree, 1, "0000:0e:00.0", "type : apu", "7");
  add_card(tree, 0, "0000:03:00.0", "type : cem", "90");
  tree.file("proc/77/stat", "77 (game) S 1 1 1 0 -1 0 0 0 0 0 500 100 0 0 20 0 9 0 0\n");
  tree.file("proc/77/fdinfo/3", "drm-client-id:\t1\ndrm-pdev:\t0000:0e:00.0\ndrm-engine-gfx:\t100 ns\n");
  const auto game = std::make_shared<GamePid>();
  Polling polling(machine_sources({.root = tree.path(), .game = game, .graphics_library = ""}));
  Snapshot values = polling.sample(Moment{kSecond});
  EXPECT_EQ(value(values, "gpu.load"), 90);
  EXPECT_EQ(reason(values, "game.threads"), "no game runs");
  game->set(77);
  for (int second = 2; second < 4; ++second) values = polling.sample(Moment{second * kSecond});
  EXPECT_EQ(value(values, "gpu.load"), 7) << reason(values, "gpu.load");
  EXPECT_EQ(value(values, "game.threads"), 9);
  game->set(0);
  for (int second = 4; second < 6; ++second) values = polling.sample(Moment{second * kSecond});
  EXPECT_EQ(value(values, "gpu.load"), 90);
  EXPECT_EQ(reason(values, "game.threads"), "no game runs");
}

TEST(Graphics, EachCardWithAnEnergyCounterHasItsOwnPower) {
  Tree tree;
  add_card(tree, 1, "0000:0e:00.0", "type : apu", "7");
  add_card(tree, 0, "0000:03:00.0", "type : cem", "90");
  const auto count = [](Tree& t, const char* card0, const char* card1) {
    t.file("sys/devices/0000:03:00.0/hwmon/hwmon5/energy1_input", card0);
    t.file("sys/devices/0000:0e:00.0/hwmon/hwmon6/energy1_input", card1);
  };
  count(tree, "0", "0");
  const Snapshot values = tree.sample_after([&](Tree& t) { count(t, "200000000", "30000000"); });
  EXPECT_DOUBLE_EQ(value(values, "gpu.power"), 200);
  EXPECT_DOUBLE_EQ(value(values, "gpu0.power"), 200);
  EXPECT_DOUBLE_EQ(value(values, "gpu1.power"), 30);
}

TEST(Graphics, EveryDriversFilesBecomeTheSameReadings) {
  Tree tree;
  add_card(tree, 0, "0000:03:00.0", "type : cem", "90");
  const std::string device = "sys/devices/0000:03:00.0/", chip = device + "hwmon/hwmon5/";
  const struct {
    const char* file;
    const char* text;
  } files[] = {{"name", "xe"},          {"temp2_label", "pkg"},   {"temp2_input", "61000"},
               {"temp3_label", "vram"}, {"temp3_input", "70500"}, {"energy1_input", "5000000"},
               {"fan1_input", "1500"},  {"fan1_max", "3000"},     {"power1_cap", "190000000"},
               {"in0_input", "905"}};
  for (const auto& f : files) tree.file(chip + f.file, f.text);
  tree.file(device + "tile0/gt0/freq0/act_freq", "2400\n");
  tree.file(device + "mem_info_vram_total", "8589934592");
  tree.file(device + "mem_info_vram_used", "2147483648");
  const Snapshot values = tree.sample_after([&](Tree& t) { t.file(chip + "energy1_input", "125000000"); });
  const struct {
    const char* id;
    double value;
  } expected[] = {{"gpu.temp", 61},          {"gpu.memory.temp", 70.5}, {"gpu.power", 120},
                  {"gpu.fan.speed", 1500},   {"gpu.fan.duty", 50},      {"gpu.power.limit", 190},
                  {"gpu.voltage", 0.905},    {"gpu.clock", 2400},       {"gpu.memory.total", 8192},
                  {"gpu.memory.used", 2048}, {"gpu.memory.share", 25}};
  for (const auto& e : expected) EXPECT_DOUBLE_EQ(value(values, e.id), e.value) << e.id;
}

TEST(Graphics, ACardAddedLaterIsListed) {
  Tree tree;
  EXPECT_EQ(tree.sample().find("gpu.load").info, nullptr);
  add_card(tree, 0, "0000:03:00.0", "type : cem", "33");
  Snapshot values;
  for (int second = 0; second < 6; ++second) values = tree.sample();  // new devices are looked for every 5 s
  EXPECT_DOUBLE_EQ(value(values, "gpu.load"), 33);
  std::filesystem::remove_all(tree / "sys/class/drm/card0");
  for (int second = 0; second < 6; ++second) values = tree.sample();
  EXPECT_EQ(values.find("gpu.load").info, nullptr);
}

TEST(Graphics, ASleepingCardIsNotWoken) {
  Tree tree;
  add_card(tree, 0, "0000:03:00.0", "type : cem", "90");
  const Snapshot asleep =
      tree.sample_after([](Tree& t) { t.file("sys/devices/0000:03:00.0/power/runtime_status", "suspended\n"); });
  EXPECT_EQ(reason(asleep, "gpu.load"), "the card sleeps, and is not woken for a reading");
  tree.file("sys/devices/0000:03:00.0/power/runtime_status", "active\n");
  EXPECT_DOUBLE_EQ(value(tree.sample(), "gpu.load"), 90);
}

TEST(Graphics, ThrottlingHasItsReasonsInWords) {
  const auto amd = [](std::uint64_t status, char format = 1, char content = 3) {
    const std::size_t at = format == 1 ? 112 : 120;
    std::string table(at + 8, '\0');
    table[2] = format;
    table[3] = content;
    std::memcpy(&table[at], &status, sizeof status);
    return table;
  };
  const struct {
    const char* file;
    std::string content, reasons;
  } cases[] = {{"device/gpu_metrics", amd(0), "none"},
               {"device/gpu_metrics", amd(1ull << 36), "heat"},
               {"device/gpu_metrics", amd(1ull << 36 | 1ull | 1ull << 17), "heat, power, current"},
               {"device/gpu_metrics", amd(1ull << 46, 2, 2), "heat"},
               {"device/gpu_metrics", amd(0, 1, 4), ""},
               {"device/gpu_metrics", amd(0, 2, 3).substr(0, 124), ""},
               {"device/gpu_metrics", "short", ""},
               {"gt/gt0/throttle_reason_pl1", "1", "power"},
               {"gt/gt0/throttle_reason_thermal", "1", "heat"},
               {"gt/gt0/throttle_reason_vr_tdc", "0", "none"},
               {"device/tile0/gt0/freq0/throttle/reason_prochot", "1", "heat"}};
  for (const auto& c : cases) {
    Tree tree;
    const std::string card = "sys/class/drm/card0/";
    tree.file(card + "device/vendor", "0x1002");
    tree.file(card + "gt/gt0/throttle_reason_status", "1");
    if (std::string(c.file).starts_with("device")) std::filesystem::remove_all(tree / (card + "gt"));
    tree.file(card + c.file, c.content);
    const Snapshot values = tree.sample();
    const auto entry = values.find("gpu.throttle");
    ASSERT_NE(entry.value, nullptr) << c.file;
    const auto* text = std::get_if<std::string>(entry.value);
    EXPECT_EQ(text == nullptr ? "" : *text, c.reasons) << c.file << reason(values, "gpu.throttle");
  }
}

}  // namespace
}  // namespace idlemeter
