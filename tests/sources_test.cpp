// The machine's own sources on small trees: a reading is what its file says.
#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include "machine_tree.hpp"
#include "sources/kernel/kernel_file.hpp"
#include "sources/kernel/rate.hpp"

namespace idlemeter {
namespace {

using namespace testing;

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

TEST(Powercap, PowerIsEnergyOverTimeEvenIfTheCounterWraps) {
  Tree tree;
  const std::string zone = "sys/class/powercap/intel-rapl:0/";
  tree.file(zone + "name", "package-0\n");
  tree.file(zone + "max_energy_range_uj", "1000000000\n");
  tree.file(zone + "energy_uj", "970000000\n");
  const Snapshot before = tree.sample();
  EXPECT_EQ(reason(before, "cpu.power"), "a rate needs two samples");
  tree.file(zone + "energy_uj", "990000000\n");
  EXPECT_DOUBLE_EQ(value(tree.sample(), "cpu.power"), 20);
  tree.file(zone + "energy_uj", "25000000\n");
  EXPECT_DOUBLE_EQ(value(tree.sample(), "cpu.power"), 35);
}

TEST(Powercap, KeepsPackagesApart) {
  Tree tree;
  const std::pair<const char*, const char*> zones[] = {{"intel-rapl:0", "package-0"},
                                                       {"intel-rapl:0:0", "dram"},
                                                       {"intel-rapl:1", "package-1"},
                                                       {"intel-rapl:1:0", "dram"},
                                                       {"intel-rapl:1:1", "core"}};
  for (const auto& [zone, name] : zones) {
    const std::string folder = std::string("sys/class/powercap/") + zone + "/";
    tree.file(folder + "name", std::string(name) + "\n");
    tree.file(folder + "energy_uj", "1\n");
  }
  const Snapshot values = tree.sample();
  for (const char* id :
       {"cpu.power", "ram.power", "cpu.package1.power", "ram.package1.power", "cpu.package1.cores.power"})
    EXPECT_NE(values.find(id).info, nullptr) << id;
}

/// Some processors add an offset to Tctl.
TEST(Hwmon, TheDieIsTheProcessorsTemperature) {
  for (const bool has_die : {true, false}) {
    Tree tree;
    const std::string chip = "sys/class/hwmon/hwmon1/";
    tree.file(chip + "name", "k10temp\n");
    tree.file(chip + "temp1_label", "Tctl\n");
    tree.file(chip + "temp1_input", "77000\n");
    if (has_die) {
      tree.file(chip + "temp2_label", "Tdie\n");
      tree.file(chip + "temp2_input", "50000\n");
    }
    EXPECT_EQ(value(tree.sample(), "cpu.temp"), has_die ? 50 : 77);
  }
}

TEST(Powercap, WithoutPermissionSaysHowToFixIt) {
  EXPECT_NE(sources::cannot_read("/sys/x/energy_uj", EACCES)
                .reason.find("Permission denied; allow it with 'sudo chmod a+r /sys/x/energy_uj'"),
            std::string::npos);
}

TEST(Rates, OfDisksNetworkAndPressure) {
  Tree tree;
  const auto write = [&](int sectors, int ms, int bytes, int waited) {
    tree.file("proc/diskstats", " 259 0 nvme0n1 1 0 " + std::to_string(sectors) + " 0 1 0 2000 0 0 " +
                                    std::to_string(ms) + " 0\n 7 0 loop0 1 0 9 0 0 0 0 0 0 0 0\n");
    tree.file("sys/class/net/eth0/statistics/rx_bytes", std::to_string(bytes));
    tree.file("sys/class/net/eth0/statistics/tx_bytes", "5");
    tree.file("proc/pressure/io", "some avg10=0.00 avg60=0.00 avg300=0.00 total=" + std::to_string(waited) +
                                      "\nfull avg10=0.00 avg60=0.00 avg300=0.00 total=0\n");
  };
  std::filesystem::create_directories(tree / "sys/block/nvme0n1/device");
  std::filesystem::create_directories(tree / "sys/block/loop0");
  tree.file("sys/block/nvme0n1/device/model", "Pebble P2   \n");
  write(1'000, 100, 1'000, 5);
  (void)tree.sample();
  write(201'000, 350, 126'000, 30'005);
  const Snapshot values = tree.sample();
  EXPECT_DOUBLE_EQ(value(values, "disk.nvme0n1.read"), 102.4);
  EXPECT_DOUBLE_EQ(value(values, "disk.nvme0n1.write"), 0);
  EXPECT_DOUBLE_EQ(value(values, "disk.nvme0n1.load"), 25);
  EXPECT_EQ(values.find("disk.nvme0n1.read").info->device, "Pebble P2 (nvme0n1)");
  EXPECT_EQ(values.find("disk.loop0.read").info, nullptr);
  EXPECT_DOUBLE_EQ(value(values, "net.eth0.down"), 1);
  EXPECT_DOUBLE_EQ(value(values, "disk.pressure"), 3);
  write(201'000, 350, 0, 30'005);
  EXPECT_EQ(reason(tree.sample(), "net.eth0.down"), "the counter went back: its device was reset");
}

TEST(Processor, ThrottlesWhileACounterGrows) {
  Tree tree;
  tree.file("proc/stat", "cpu 1 0 0 9\ncpu0 1 0 0 9\n");
  const std::string file = "sys/devices/system/cpu/cpu0/thermal_throttle/package_throttle_count";
  tree.file(file, "7");
  EXPECT_EQ(reason(tree.sample(), "cpu.throttle"), "it needs two samples");
  for (const auto& [count, says] : {std::pair("7", "none"), {"9", "heat"}, {"9", "none"}}) {
    tree.file(file, count);
    EXPECT_EQ(*tree.sample().find("cpu.throttle").value, Value(says)) << count;
  }
}

TEST(Rate, OverASleepOfTheMachineIsMissing) {
  sources::Rate rate;
  constexpr Moment kMuchLater{std::chrono::hours(3)};
  (void)rate.next({}, 0);
  EXPECT_EQ(number(rate.next(Moment{2 * kSecond}, 10)), 5.0);
  EXPECT_FALSE(number(rate.next(kMuchLater, 1'000)));
  EXPECT_EQ(number(rate.next(kMuchLater + kSecond, 1'007)), 7.0);
  EXPECT_FALSE(number(rate.next(kMuchLater + kSecond, 1'008)));  // no time has passed
}

TEST(Battery, PowerHasASignAndTheTimeLeftIsComputed) {
  const struct {
    const char* status;
    double power;
    double left;
  } cases[] = {{"Discharging", -20, 90}, {"Charging", 20, 60}, {"Full", 20, -998}};
  for (const auto& c : cases) {
    Tree tree;
    const std::string folder = "sys/class/power_supply/BAT1/";
    const struct {
      const char* file;
      const char* text;
    } files[] = {{"type", "Battery"},       {"energy_now", "30000000"}, {"energy_full", "50000000"},
                 {"power_now", "20000000"}, {"capacity", "60"},         {"status", c.status}};
    for (const auto& f : files) tree.file(folder + f.file, f.text);
    tree.file("sys/class/power_supply/mouse/type", "Battery");
    tree.file("sys/class/power_supply/mouse/scope", "Device");
    const Snapshot values = tree.sample();
    EXPECT_DOUBLE_EQ(value(values, "battery.power"), c.power) << c.status;
    EXPECT_DOUBLE_EQ(value(values, "battery.left"), c.left) << c.status;
    EXPECT_DOUBLE_EQ(value(values, "battery.charge"), 60);
    EXPECT_EQ(values.find("battery2.charge").info, nullptr);  // a mouse is not the machine
  }
}

TEST(Battery, ThatCountsChargeIsConvertedByItsVoltage) {
  Tree tree;
  const std::string folder = "sys/class/power_supply/BAT0/";
  const struct {
    const char* file;
    const char* text;
  } files[] = {{"type", "Battery"},         {"charge_now", "2000000"},   {"charge_full", "4000000"},
               {"current_now", "-1000000"}, {"voltage_now", "15000000"}, {"status", "Discharging"}};
  for (const auto& f : files) tree.file(folder + f.file, f.text);
  const Snapshot values = tree.sample();
  EXPECT_DOUBLE_EQ(value(values, "battery.power"), -15);
  EXPECT_DOUBLE_EQ(value(values, "battery.left"), 120);
}

TEST(GameProcess, LoadMemoryThreadsAndEngines) {
  Tree tree;
  const auto write = [&](int user, int engine, int shared) {
    tree.file("proc/stat", "cpu " + std::to_string(user) + " 0 " + std::to_string(user / 2) + " 1 1\ncpu0 1\ncpu1 1\n");
    tree.file("proc/77/stat", "77 (a (b) c) S 1 1 1 0 -1 0 0 0 " + std::to_string(user / 4) + " 0 " +
                                  std::to_string(user) + " 10 0 0 20 0 12 0 5 0 0\n");
    tree.file("proc/77/fdinfo/3", "drm-client-id: 5\ndrm-pdev: a\ndrm-engine-gfx: " + std::to_string(engine) +
                                      " ns\ndrm-memory-vram: 2048 KiB\n");
    tree.file("proc/77/fdinfo/4", "drm-client-id: 5\ndrm-pdev: a\ndrm-engine-gfx: " + std::to_string(shared) +
                                      " ns\n");  // the same client again
    tree.file("proc/77/fdinfo/5", "pos: 0\nflags: 02\n");
  };
  tree.file("proc/77/status", "Name: x\nVmRSS:\t 512000 kB\n");
  tree.file("proc/77/io", "rchar: 1\nread_bytes: 0\n");
  write(100, 1'000'000'000, 1'000'000'000);
  Polling polling(machine_sources({.root = tree.path(), .game = std::make_shared<GamePid>(77)}));
  (void)polling.sample(Moment{kSecond});
  write(200, 1'400'000'000, 1'400'000'000);
  const Snapshot values = polling.sample(Moment{2 * kSecond});
  EXPECT_DOUBLE_EQ(value(values, "game.cpu.load"), 50);    // one of two cores for a whole second
  EXPECT_DOUBLE_EQ(value(values, "cpu.others.load"), 25);  // half of the other core
  EXPECT_DOUBLE_EQ(value(values, "game.faults"), 25);
  EXPECT_DOUBLE_EQ(value(values, "game.threads"), 12);
  EXPECT_DOUBLE_EQ(value(values, "game.memory.used"), 500);
  EXPECT_DOUBLE_EQ(value(values, "game.gpu.gfx.load"), 40);
  EXPECT_DOUBLE_EQ(value(values, "game.gpu.memory.used"), 2);
  EXPECT_EQ(reason(values, "game.disk.write"), (tree / "proc/77/io").string() + " has no write_bytes:");
  std::filesystem::remove_all(tree / "proc/77");
  EXPECT_NE(reason(polling.sample(Moment{3 * kSecond}), "game.threads").find("the game has ended"), std::string::npos);
}

TEST(MemoryModules, AreReadFromFirmwareTablesThatMayHoldGarbage) {
  std::string module(0x22, '\0');
  module[0] = 17, module[1] = 0x22, module[0x0D] = 0x40, module[0x12] = 0x22, module[0x15] = 0x58, module[0x16] = 0x1B,
  module[0x20] = 0x70, module[0x21] = 0x17;
  const std::string table = module + std::string("A\0\0", 3) + module + std::string("\0\0\x7f\4\0\0\0\0", 8);
  Tree tree;
  tree.file("sys/firmware/dmi/tables/DMI", table);
  const Snapshot values = tree.sample();
  EXPECT_DOUBLE_EQ(value(values, "ram.modules"), 2);
  EXPECT_DOUBLE_EQ(value(values, "ram.speed"), 6000);
  EXPECT_EQ(std::get<std::string>(*values.find("ram.type").value), "DDR5");
  for (std::size_t length = 0; length < table.size(); ++length) {
    Tree cut;
    cut.file("sys/firmware/dmi/tables/DMI", table.substr(0, length) + "\xff\xff");
    (void)cut.sample();
  }
}

TEST(Facts, AreFoundAndCanBeOverridden) {
  Tree tree;
  tree.file("proc/cpuinfo", "processor\t: 0\nmodel name\t: Corvid 8\n");
  tree.file("proc/meminfo", "MemTotal: 31700000 kB\n");
  tree.file("proc/version", "Linux version 6.12.9 (x)\n");
  for (const char* policy : {"policy0", "policy2", "policy4"})
    tree.file(std::string("sys/devices/system/cpu/cpufreq/") + policy + "/scaling_governor",
              policy == std::string("policy2") ? "schedutil\n" : "performance\n");
  tree.file("sys/firmware/acpi/platform_profile", "balanced\n");
  Polling polling(machine_sources({.root = tree.path(), .facts = {{"game.api", "OpenGL"}, {"case.name", "Shell"}}}));
  const Snapshot values = polling.sample(Moment{kSecond});
  const auto text = [&](const char* id) { return std::get<std::string>(*values.find(id).value); };
  EXPECT_EQ(text("cpu.name"), "Corvid 8");
  EXPECT_EQ(text("system.kernel"), "6.12.9");
  EXPECT_EQ(text("ram.name"), "31 GiB");
  EXPECT_EQ(text("cpu.governor"), "performance, schedutil");
  EXPECT_EQ(text("system.profile"), "balanced");
  EXPECT_TRUE(std::holds_alternative<Missing>(*values.find("cpu.preference").value));
  EXPECT_EQ(text("game.api"), "OpenGL");
  EXPECT_EQ(text("case.name"), "Shell");
  EXPECT_EQ(text("clock.now").size(), 8u);
}

}  // namespace
}  // namespace idlemeter
