// Energy counters of the processor (Documentation/power/powercap/powercap.rst).
#include <fmt/format.h>

#include <map>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/kernel/rate.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

class PowercapSource : public ReaderSource {
 public:
  explicit PowercapSource(const fs::path& root) : ReaderSource("powercap"), folder_(root / "sys/class/powercap") {}

 private:
  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    for (const std::string& zone : names_in(folder_)) {
      const fs::path folder = folder_ / zone;
      const std::string name = read_file(folder / "name").text;
      const int package = package_of(zone, name);
      const std::string part = package == 0 ? "" : fmt::format("package{}.", package);
      const std::string of = package == 0 ? "" : fmt::format(" of package {}", package);
      if (name.starts_with("package-")) {
        const std::string title = package == 0 ? "Processor power" : fmt::format("Processor package {} power", package);
        add(readers, folder, fmt::format("cpu.{}power", part), title, "CPU");
      } else if (name == "core") {
        add(readers, folder, fmt::format("cpu.{}cores.power", part), "Processor cores power" + of, "Cores");
      } else if (name == "uncore") {
        add(readers, folder, fmt::format("cpu.{}graphics.power", part), "Processor graphics power" + of, "iGPU");
      } else if (name == "dram") {
        add(readers, folder, fmt::format("ram.{}power", part), "Memory power" + of, "RAM");
      }
    }
    return readers;
  }

  /// The number of the package that a zone is, or is in: "intel-rapl:1:0" is in "intel-rapl:1", which is "package-1".
  [[nodiscard]] int package_of(const std::string& zone, const std::string& name) const {
    if (const auto own = number_between(name, "package-", "")) return *own;
    const std::string around = read_file(folder_ / zone.substr(0, zone.rfind(':')) / "name").text;
    return number_between(around, "package-", "").value_or(0);
  }

  void add(std::vector<Reader>& readers, const fs::path& folder, std::string id, std::string title, std::string brief) {
    for (const Reader& reader : readers) {
      if (reader.info.id == id) return;  // the same zone through another interface (mmio)
    }
    const fs::path file = folder / "energy_uj";
    const auto range = leading_count(read_file(folder / "max_energy_range_uj").text).value_or(0);
    Rate& rate = rates_.try_emplace(folder.string(), range).first->second;
    const bool memory = id.starts_with("ram");
    readers.push_back({{std::move(id), std::move(title), std::move(brief), memory ? "Memory" : "Processor",
                        memory ? DeviceKind::memory : DeviceKind::processor, Unit::watt, file.string()},
                       [file, &rate](Moment now) { return file_rate(file, rate, now, 1e-6); }});
  }

  fs::path folder_;
  std::map<std::string, Rate> rates_;
};

}  // namespace

std::unique_ptr<Source> powercap_source(const fs::path& root) { return std::make_unique<PowercapSource>(root); }

}  // namespace idlemeter::sources
