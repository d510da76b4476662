// What the machine is, as text.
#include <fmt/chrono.h>
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <set>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/graphics/graphics_cards.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

/// The value of the first "key : value" line of a file.
std::string field_of(const fs::path& file, std::string_view key) {
  const FileText text = read_file(file);
  for (std::string_view line : lines(text.text)) {
    const std::size_t colon = line.find(':');
    if (colon == std::string_view::npos || !line.starts_with(key)) continue;
    const std::size_t start = line.find_first_not_of(" \t", colon + 1);
    return start == std::string_view::npos ? "" : std::string(line.substr(start));
  }
  return "";
}

/// "Linux version 6.1.0-18-amd64 (…" -> "6.1.0-18-amd64"
std::string kernel(const fs::path& root) {
  const std::string version = read_file(root / "proc/version").text;
  const auto parts = words(version);
  return parts.size() > 2 ? std::string(parts[2]) : "";
}

/// "32 GiB DDR5-6000": the installed size is what the kernel has, rounded up to whole GiB (a part is set aside at
/// boot).
std::string memory(const fs::path& root) {
  const auto kibibytes = leading_count(field_of(root / "proc/meminfo", "MemTotal"));
  if (!kibibytes) return "";
  const std::string kind = memory_kind(root);
  return fmt::format("{:.0f} GiB{}{}", std::ceil(static_cast<double>(*kibibytes) / (1024 * 1024)),
                     kind.empty() ? "" : " ", kind);
}

/// What each core's frequency policy has, once: "performance", or "performance, powersave".
Value of_policies(const fs::path& root, const char* file) {
  const fs::path folder = root / "sys/devices/system/cpu/cpufreq";
  std::set<std::string> all;
  for (const std::string& policy : names_in(folder)) {
    const FileText text = read_file(folder / policy / file);
    if (policy.starts_with("policy") && text.ok() && !text.text.empty()) all.insert(text.text);
  }
  return all.empty() ? Value(Missing{fmt::format("no {}/policy*/{}", folder.string(), file)})
                     : Value(fmt::format("{}", fmt::join(all, ", ")));
}

/// "wayland" and a desktop's name, as the session says; only of the machine that this runs on.
std::string desktop() {
  const auto variable = [](const char* name) {
    const char* value = std::getenv(name);
    return std::string(value == nullptr ? "" : value);
  };
  const std::string name = variable("XDG_CURRENT_DESKTOP"), type = variable("XDG_SESSION_TYPE");
  return name.empty() || type.empty() ? name + type : fmt::format("{} ({})", name, type);
}

class FactSource : public ReaderSource {
 public:
  FactSource(const fs::path& root, GameProcess game) : ReaderSource("facts"), root_(root), game_(std::move(game)) {}

 private:
  bool before_sample(Moment /*now*/) override { return !game_.changed(); }

  static Value known(const std::string& text, const char* reason) {
    return text.empty() ? Value(Missing{reason}) : Value(text);
  }

  using Read = std::function<Value(Moment)>;

  /// What readings of one device have in common.
  struct Device {
    std::string name;
    DeviceKind kind;
  };

  static void add(std::vector<Reader>& readers, const Device& device, const char* id, const char* title,
                  const char* brief, const std::string& source, Read read) {
    ReadingInfo info{.id = id, .title = title, .brief = brief, .device = device.name, .kind = device.kind};
    info.source = source;
    info.text = true;
    readers.push_back({std::move(info), std::move(read)});
  }

  static Read fixed(Value value) {
    return [value = std::move(value)](Moment) { return value; };
  }

  void add_processor(std::vector<Reader>& readers) {
    const Device device{"Processor", DeviceKind::processor};
    const fs::path names = root_ / "proc/cpuinfo", policies = root_ / "sys/devices/system/cpu/cpufreq/policy*";
    add(readers, device, "cpu.name", "Processor name", "CPU", names.string(),
        fixed(known(field_of(names, "model name"), "the kernel gives no name")));
    add(readers, device, "cpu.governor", "Processor's frequency governor", "Governor",
        (policies / "scaling_governor").string(), [this](Moment) { return of_policies(root_, "scaling_governor"); });
    add(readers, device, "cpu.preference", "Processor's energy preference", "Energy",
        (policies / "energy_performance_preference").string(),
        [this](Moment) { return of_policies(root_, "energy_performance_preference"); });
  }

  void add_card(std::vector<Reader>& readers) {
    const auto cards = graphics_cards(root_);
    if (cards.empty()) return;
    const GraphicsCard& card = cards[game_card(cards, root_, game_.pid())];
    const Device device{card.name, DeviceKind::graphics};
    const std::string folder = card.folder.string();
    add(readers, device, "gpu.name", "GPU name", "GPU", folder, fixed(card.name));
    add(readers, device, "gpu.driver", "GPU driver", "Driver", folder,
        fixed(known(card.driver, "no driver is bound to it")));
    add(readers, device, "gpu.kind", "GPU integrated or discrete", "GPU", folder,
        fixed(std::string(card.integrated ? "integrated" : "discrete")));
  }

  void add_machine(std::vector<Reader>& readers) {
    const Device device{"This machine", DeviceKind::system};
    add(readers, {"Memory", DeviceKind::memory}, "ram.name", "Memory size and kind", "RAM",
        (root_ / "proc/meminfo").string(), fixed(known(memory(root_), "no /proc/meminfo")));
    add(readers, device, "system.kernel", "Kernel", "Kernel", (root_ / "proc/version").string(),
        fixed(known(kernel(root_), "no /proc/version")));
    const fs::path profile = root_ / "sys/firmware/acpi/platform_profile";
    add(readers, device, "system.profile", "Platform's power profile", "Profile", profile.string(),
        [profile](Moment) -> Value {
          const FileText text = read_file(profile);
          return text.ok() ? Value(text.text) : Value(cannot_read(profile, text.error));
        });
    if (root_ == "/") {
      add(readers, device, "system.desktop", "Desktop session", "Desktop", "XDG_CURRENT_DESKTOP, XDG_SESSION_TYPE",
          fixed(known(desktop(), "not in a desktop session")));
    }
    add(readers, device, "clock.now", "Time of day", "Time", "the clock", [](Moment) -> Value {
      const std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
      return fmt::format("{:%H:%M:%S}", fmt::localtime(now));
    });
  }

  std::vector<Reader> find() override {
    if (game_.look()) forget_numbers();
    std::vector<Reader> readers;
    add_processor(readers);
    add_card(readers);
    add_machine(readers);
    return readers;
  }

  fs::path root_;
  GameProcess game_;
};

/// Texts that replace what was found.
class OverrideSource : public ReaderSource {
 public:
  explicit OverrideSource(const std::map<std::string, std::string>& facts) : ReaderSource("overrides"), facts_(facts) {}

 private:
  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    for (const auto& [id, text] : facts_) {
      const DeviceKind kind = id.starts_with("gpu")    ? DeviceKind::graphics
                              : id.starts_with("cpu")  ? DeviceKind::processor
                              : id.starts_with("ram")  ? DeviceKind::memory
                              : id.starts_with("game") ? DeviceKind::game
                                                       : DeviceKind::system;
      readers.push_back({{id, id + ", as the settings say", id, kind == DeviceKind::game ? "Game" : "This machine",
                          kind, Unit::none, "the settings", -1, true},
                         [text = text](Moment) { return Value(text); }});
    }
    return readers;
  }

  std::map<std::string, std::string> facts_;
};

}  // namespace

std::unique_ptr<Source> fact_source(const fs::path& root, GameProcess game) {
  return std::make_unique<FactSource>(root, std::move(game));
}

std::unique_ptr<Source> override_source(const std::map<std::string, std::string>& facts) {
  return std::make_unique<OverrideSource>(facts);
}

}  // namespace idlemeter::sources
