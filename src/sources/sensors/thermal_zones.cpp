// /sys/class/thermal (Documentation/driver-api/thermal/sysfs-api.rst).
#include <fmt/format.h>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

class ThermalZoneSource : public ReaderSource {
 public:
  explicit ThermalZoneSource(const fs::path& root)
      : ReaderSource("thermal zones"), folder_(root / "sys/class/thermal") {}

 private:
  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    for (const std::string& name : names_in(folder_)) {
      if (!number_between(name, "thermal_zone", "")) continue;
      const std::string type = read_file(folder_ / name / "type").text;
      const fs::path file = folder_ / name / "temp";
      if (type.empty()) continue;
      readers.push_back({{fmt::format("thermal.{}.temp", as_id(type)), fmt::format("Thermal zone {} temperature", type),
                          type, "Thermal zones", DeviceKind::board, Unit::celsius, file.string()},
                         [file](Moment) { return read_number(file, 1e-3); }});
    }
    return readers;
  }

  fs::path folder_;
};

}  // namespace

std::unique_ptr<Source> thermal_zone_source(const fs::path& root) { return std::make_unique<ThermalZoneSource>(root); }

}  // namespace idlemeter::sources
