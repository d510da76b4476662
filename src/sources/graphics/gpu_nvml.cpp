// Graphics cards of the proprietary driver, through its management library, loaded while the meter runs.
#include <dlfcn.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/graphics/gpu_management_library.hpp"
#include "sources/graphics/graphics_cards.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/kernel/throttle.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

/// The library with its functions; those that an older one lacks are nullptr. Loads in the constructor, unloads with
/// the last owner. Not copied.
class Library {
 public:
  explicit Library(const std::string& file) : handle_(::dlopen(file.c_str(), RTLD_NOW | RTLD_LOCAL)) {
    if (handle_ == nullptr) return;
    load(init, "nvmlInit_v2");
    load(shutdown, "nvmlShutdown");
    load(count, "nvmlDeviceGetCount_v2");
    load(by_index, "nvmlDeviceGetHandleByIndex_v2");
    load(name, "nvmlDeviceGetName");
    load(pci, "nvmlDeviceGetPciInfo_v3");
    load(utilization, "nvmlDeviceGetUtilizationRates");
    load(temperature, "nvmlDeviceGetTemperature");
    load(memory, "nvmlDeviceGetMemoryInfo");
    load(clock, "nvmlDeviceGetClockInfo");
    load(power, "nvmlDeviceGetPowerUsage");
    load(power_limit, "nvmlDeviceGetEnforcedPowerLimit");
    load(fan, "nvmlDeviceGetFanSpeed");
    load(link_width, "nvmlDeviceGetCurrPcieLinkWidth");
    load(throttle, "nvmlDeviceGetCurrentClocksThrottleReasons");
    load(error_text, "nvmlErrorString");
    load(driver, "nvmlSystemGetDriverVersion");
    running_ = init != nullptr && shutdown != nullptr && count != nullptr && by_index != nullptr && init() == 0;
  }
  Library(const Library&) = delete;
  Library& operator=(const Library&) = delete;
  ~Library() {
    if (running_) shutdown();
    if (handle_ != nullptr) ::dlclose(handle_);
  }

  [[nodiscard]] bool running() const { return running_; }

  [[nodiscard]] Missing missing(const char* call, nvml::Result result) const {
    const char* text = error_text == nullptr ? nullptr : error_text(result);
    return {fmt::format("{}: {}", call, text == nullptr ? fmt::format("error {}", result) : text)};
  }

  nvml::Result (*init)() = nullptr;
  nvml::Result (*shutdown)() = nullptr;
  nvml::Result (*count)(unsigned int*) = nullptr;
  nvml::Result (*by_index)(unsigned int, nvml::Device*) = nullptr;
  nvml::Result (*name)(nvml::Device, char*, unsigned int) = nullptr;
  nvml::Result (*pci)(nvml::Device, nvml::PciInfo*) = nullptr;
  nvml::Result (*utilization)(nvml::Device, nvml::Utilization*) = nullptr;
  nvml::Result (*temperature)(nvml::Device, int, unsigned int*) = nullptr;
  nvml::Result (*memory)(nvml::Device, nvml::Memory*) = nullptr;
  nvml::Result (*clock)(nvml::Device, int, unsigned int*) = nullptr;
  nvml::Result (*power)(nvml::Device, unsigned int*) = nullptr;
  nvml::Result (*power_limit)(nvml::Device, unsigned int*) = nullptr;
  nvml::Result (*fan)(nvml::Device, unsigned int*) = nullptr;
  nvml::Result (*link_width)(nvml::Device, unsigned int*) = nullptr;
  nvml::Result (*throttle)(nvml::Device, unsigned long long*) = nullptr;
  const char* (*error_text)(nvml::Result) = nullptr;
  nvml::Result (*driver)(char*, unsigned int) = nullptr;

 private:
  template <typename Function>
  void load(Function& function, const char* symbol) {
    function = reinterpret_cast<Function>(::dlsym(handle_, symbol));
  }

  void* handle_;
  bool running_ = false;
};

class ManagedGraphicsSource : public ReaderSource {
 public:
  ManagedGraphicsSource(const std::string& file, const fs::path& root, GameProcess game)
      : ReaderSource("graphics library"), file_(file), root_(root), game_(std::move(game)), library_(file) {}

 private:
  std::vector<Reader> find() override {
    if (game_.look()) forget_numbers();
    std::vector<Reader> readers;
    unsigned int count = 0;
    if (!library_.running() || library_.count(&count) != 0) return readers;
    std::vector<GraphicsCard> cards = graphics_cards(root_);  // numbered with those of the kernel's own drivers
    std::vector<std::pair<nvml::Device, std::size_t>> devices;
    for (unsigned int i = 0; i < count; ++i) {
      nvml::Device device{};
      if (library_.by_index(i, &device) == 0) devices.emplace_back(device, place_of(device, cards));
    }
    const std::size_t own = cards.empty() ? 0 : game_card(cards, root_, game_.pid());
    for (const auto& [device, place] : devices) {
      add(readers, device, CardNames(place, own, cards.size()));
    }
    return readers;
  }

  bool before_sample(Moment /*now*/) override { return !game_.changed(); }

  /// Which of the cards it is, by its slot; one that the kernel doesn't list is added.
  std::size_t place_of(nvml::Device device, std::vector<GraphicsCard>& cards) const {
    nvml::PciInfo info{};
    std::string slot;
    if (library_.pci != nullptr && library_.pci(device, &info) == 0) {
      slot = fmt::format("{:04x}:{:02x}:{:02x}.0", info.domain, info.bus, info.device);
    }
    const auto same =
        std::find_if(cards.begin(), cards.end(), [&](const GraphicsCard& card) { return card.slot == slot; });
    const auto place = static_cast<std::size_t>(same - cards.begin());
    if (same == cards.end()) cards.push_back({.slot = slot});
    return place;
  }

  [[nodiscard]] std::string name_of(nvml::Device device) const {
    std::array<char, nvml::kNameSize> name{};
    const bool told = library_.name != nullptr && library_.name(device, name.data(), name.size()) == 0;
    return told ? std::string(name.data()) : "Graphics card";
  }

  void add(std::vector<Reader>& readers, nvml::Device device, const CardNames& names) {
    const std::string card = name_of(device);
    const auto add_one = [&](const char* id, const char* title, const char* brief, Unit unit, ReadValue read) {
      readers.push_back({{id, title, brief, card, DeviceKind::graphics, unit, file_}, std::move(read)});
      names.give(readers.back().info);
    };
    using enum Unit;
    add_one("load", "load", "GPU", percent, utilization(device, &nvml::Utilization::gpu));
    add_one("memory.load", "memory controller load", "Mem load", percent,
            utilization(device, &nvml::Utilization::memory));
    add_one("temp", "temperature", "GPU", celsius, temperature(device));
    add_one("clock", "core clock", "Core", megahertz, clock(device, nvml::kGraphicsClock));
    add_one("memory.clock", "memory clock", "Mem", megahertz, clock(device, nvml::kMemoryClock));
    add_one("power", "power", "GPU", watt, number_of(device, "nvmlDeviceGetPowerUsage", library_.power, 1e-3));
    add_one("power.limit", "power limit", "Limit", watt,
            number_of(device, "nvmlDeviceGetEnforcedPowerLimit", library_.power_limit, 1e-3));
    add_one("fan.duty", "fan duty", "Fan", percent, number_of(device, "nvmlDeviceGetFanSpeed", library_.fan, 1));
    add_one("link.width", "link width, lanes", "Lanes", none,
            number_of(device, "nvmlDeviceGetCurrPcieLinkWidth", library_.link_width, 1));
    add_one("memory.used", "memory used", "VRAM", mebibyte, memory(device, &nvml::Memory::used));
    add_one("memory.total", "memory in all", "VRAM total", mebibyte, memory(device, &nvml::Memory::total));
    const std::size_t texts = readers.size();
    add_one("name", "name", "GPU", none, [card](Moment) { return Value(card); });
    add_one("driver", "driver", "Driver", none, driver());
    add_one("throttle", "reason for a lower clock", "Throttle", none, throttle(device));
    for (std::size_t i = texts; i < readers.size(); ++i) readers[i].info.text = true;
  }

  using ReadValue = std::function<Value(Moment)>;

  template <typename Call>
  ReadValue number_of(nvml::Device device, const char* symbol, Call call, double scale) {
    return [this, device, symbol, call, scale](Moment) -> Value {
      unsigned int value = 0;
      const nvml::Result result = call == nullptr ? -1 : call(device, &value);
      return result == 0 ? Value(value * scale) : Value(library_.missing(symbol, result));
    };
  }

  ReadValue temperature(nvml::Device device) {
    return [this, device](Moment) -> Value {
      unsigned int celsius = 0;
      const nvml::Result result =
          library_.temperature == nullptr ? -1 : library_.temperature(device, nvml::kGpuTemperature, &celsius);
      return result == 0 ? Value(static_cast<double>(celsius))
                         : Value(library_.missing("nvmlDeviceGetTemperature", result));
    };
  }

  ReadValue driver() {
    return [this](Moment) -> Value {
      std::array<char, nvml::kNameSize> version{};
      const nvml::Result result = library_.driver == nullptr ? -1 : library_.driver(version.data(), version.size());
      return result == 0 ? Value(std::string(version.data()))
                         : Value(library_.missing("nvmlSystemGetDriverVersion", result));
    };
  }

  ReadValue throttle(nvml::Device device) {
    return [this, device](Moment) -> Value {
      unsigned long long reasons = 0;
      const nvml::Result result = library_.throttle == nullptr ? -1 : library_.throttle(device, &reasons);
      return result == 0 ? Value(nvml_throttle(reasons))
                         : Value(library_.missing("nvmlDeviceGetCurrentClocksThrottleReasons", result));
    };
  }

  std::function<Value(Moment)> utilization(nvml::Device device, unsigned int nvml::Utilization::*part) {
    return [this, device, part](Moment) -> Value {
      nvml::Utilization use{};
      const nvml::Result result = library_.utilization == nullptr ? -1 : library_.utilization(device, &use);
      return result == 0 ? Value(static_cast<double>(use.*part))
                         : Value(library_.missing("nvmlDeviceGetUtilizationRates", result));
    };
  }

  std::function<Value(Moment)> clock(nvml::Device device, nvml::ClockType type) {
    return [this, device, type](Moment) -> Value {
      unsigned int megahertz = 0;
      const nvml::Result result = library_.clock == nullptr ? -1 : library_.clock(device, type, &megahertz);
      return result == 0 ? Value(static_cast<double>(megahertz))
                         : Value(library_.missing("nvmlDeviceGetClockInfo", result));
    };
  }

  std::function<Value(Moment)> memory(nvml::Device device, unsigned long long nvml::Memory::*part) {
    return [this, device, part](Moment) -> Value {
      nvml::Memory memory{};
      const nvml::Result result = library_.memory == nullptr ? -1 : library_.memory(device, &memory);
      return result == 0 ? Value(static_cast<double>(memory.*part) / (1024 * 1024))
                         : Value(library_.missing("nvmlDeviceGetMemoryInfo", result));
    };
  }

  std::string file_;
  fs::path root_;
  GameProcess game_;
  Library library_;
};

}  // namespace

std::unique_ptr<Source> managed_graphics_source(const std::string& library, const fs::path& root, GameProcess game) {
  return std::make_unique<ManagedGraphicsSource>(library, root, std::move(game));
}

}  // namespace idlemeter::sources
