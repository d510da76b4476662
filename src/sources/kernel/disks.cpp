// /proc/diskstats (Documentation/admin-guide/iostats.rst), whole disks only.
#include <fmt/format.h>

#include <algorithm>
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

constexpr double kSectorInMegabytes = 512e-6;  // diskstats counts sectors of 512 bytes, whatever the disk's own are

/// Fields of a line, counted from 0: major, minor, name, then the counters.
enum Field { kName = 2, kSectorsRead = 5, kSectorsWritten = 9, kMillisecondsBusy = 12, kFields = 14 };

struct Disk {
  Rate read, written, busy;
  Value read_now = Missing{"a rate needs two samples"}, written_now = read_now, busy_now = read_now;
};

class DiskSource : public ReaderSource {
 public:
  explicit DiskSource(const fs::path& root)
      : ReaderSource("disks"), stats_(root / "proc/diskstats"), block_(root / "sys/block") {}

 private:
  /// Disks that hold something: not loops, RAM disks, optical drives and what is stacked on other disks.
  static bool is_disk(const std::string& name) {
    for (const char* prefix : {"loop", "ram", "zram", "dm-", "md", "sr", "fd", "nbd"}) {
      if (name.starts_with(prefix)) return false;
    }
    return true;
  }

  [[nodiscard]] std::vector<std::string> disks() const {
    std::vector<std::string> found = names_in(block_);
    std::erase_if(found, [](const std::string& name) { return !is_disk(name); });
    return found;
  }

  bool before_sample(Moment now) override {
    const FileText file = read_file(stats_);
    for (auto& [name, disk] : disks_) disk.read_now = disk.written_now = disk.busy_now = Missing{"the disk is gone"};
    for (std::string_view line : lines(file.text)) {
      const auto fields = words(line);
      if (fields.size() < kFields) continue;
      const auto disk = disks_.find(fields[kName]);
      if (disk != disks_.end()) take(disk->second, fields, now);
    }
    return true;
  }

  static void take(Disk& disk, const std::vector<std::string_view>& fields, Moment now) {
    const auto rate = [&](Rate& counter, Field field, double scale) -> Value {
      const auto count = leading_count(fields[field]);
      if (!count) return Missing{"/proc/diskstats holds no number here"};
      return scaled(counter.next(now, *count), scale);
    };
    disk.read_now = rate(disk.read, kSectorsRead, kSectorInMegabytes);
    disk.written_now = rate(disk.written, kSectorsWritten, kSectorInMegabytes);
    disk.busy_now = rate(disk.busy, kMillisecondsBusy, 0.1);
  }

  /// What the maker calls it; the kernel's name if that isn't known.
  [[nodiscard]] std::string title_of(const std::string& name) const {
    const std::string model = read_file(block_ / name / "device/model").text;
    return model.empty() ? fmt::format("Disk {}", name) : fmt::format("{} ({})", model, name);
  }

  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    const auto names = disks();
    std::erase_if(disks_,
                  [&](const auto& entry) { return std::find(names.begin(), names.end(), entry.first) == names.end(); });
    for (const std::string& name : names) {
      Disk& disk = disks_.try_emplace(name).first->second;
      const std::string device = title_of(name);
      const auto add = [&](const char* quantity, const char* title, const char* brief, Unit unit, Value Disk::*value) {
        readers.push_back({{fmt::format("disk.{}.{}", as_id(name), quantity), fmt::format("Disk {} {}", name, title),
                            brief, device, DeviceKind::disk, unit, stats_.string()},
                           [&disk, value](Moment) { return disk.*value; }});
      };
      add("read", "reads", "Read", Unit::megabyte_per_second, &Disk::read_now);
      add("write", "writes", "Write", Unit::megabyte_per_second, &Disk::written_now);
      add("load", "busy", "Disk", Unit::percent, &Disk::busy_now);
    }
    return readers;
  }

  fs::path stats_, block_;
  std::map<std::string, Disk, std::less<>> disks_;
};

}  // namespace

std::unique_ptr<Source> disk_source(const fs::path& root) { return std::make_unique<DiskSource>(root); }

}  // namespace idlemeter::sources
