// /proc/pressure (Documentation/accounting/psi.rst): how long programs waited for the processor, memory or disks.
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

/// Microseconds stalled since the start out of "some avg10=0.00 avg60=0.02 avg300=0.15 total=1503418".
std::optional<std::uint64_t> stalled(std::string_view text) {
  for (std::string_view line : lines(text)) {
    const std::size_t at = line.find("total=");
    if (line.starts_with("some ") && at != std::string_view::npos) return leading_count(line.substr(at + 6));
  }
  return std::nullopt;
}

class PressureSource : public ReaderSource {
 public:
  explicit PressureSource(const fs::path& root) : ReaderSource("pressure"), folder_(root / "proc/pressure") {}

 private:
  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    add(readers, "cpu",
        {"cpu.pressure", "Programs waiting for the processor", "CPU wait", "Processor", DeviceKind::processor});
    add(readers, "memory", {"ram.pressure", "Programs waiting for memory", "RAM wait", "Memory", DeviceKind::memory});
    add(readers, "io", {"disk.pressure", "Programs waiting for disks", "Disk wait", "Disks", DeviceKind::disk});
    return readers;
  }

  void add(std::vector<Reader>& readers, const char* name, ReadingInfo info) {
    const fs::path file = folder_ / name;
    std::error_code failed;
    if (!fs::exists(file, failed)) return;
    info.unit = Unit::percent;
    info.digits = 1;
    info.source = file.string();
    readers.push_back({std::move(info), [file, &rate = rates_[name]](Moment now) -> Value {
                         const FileText text = read_file(file);
                         if (!text.ok()) return cannot_read(file, text.error);
                         const auto microseconds = stalled(text.text);
                         if (!microseconds) return Missing{file.string() + " has no 'some … total='"};
                         return scaled(rate.next(now, *microseconds), 1e-4);  // µs a second as percent
                       }});
  }

  fs::path folder_;
  std::map<std::string, Rate> rates_;
};

}  // namespace

std::unique_ptr<Source> pressure_source(const fs::path& root) { return std::make_unique<PressureSource>(root); }

}  // namespace idlemeter::sources
