// /sys/class/net: bytes in and out of each interface.
#include <fmt/format.h>

#include <map>
#include <utility>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/kernel/rate.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

constexpr double kBytesInMegabit = 125'000;

class NetworkSource : public ReaderSource {
 public:
  explicit NetworkSource(const fs::path& root) : ReaderSource("network"), folder_(root / "sys/class/net") {}

 private:
  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    std::map<std::string, Rate> before = std::exchange(rates_, {});  // of links that are gone nothing is kept
    for (const std::string& name : names_in(folder_)) {
      std::error_code failed;
      const fs::path statistics = folder_ / name / "statistics";
      if (name == "lo" || !fs::exists(statistics, failed)) continue;
      for (const char* file : {"rx_bytes", "tx_bytes"}) {
        if (auto known = before.extract((statistics / file).string())) rates_.insert(std::move(known));
      }
      add(readers, name, "down", "received", "Down", statistics / "rx_bytes");
      add(readers, name, "up", "sent", "Up", statistics / "tx_bytes");
    }
    return readers;
  }

  void add(std::vector<Reader>& readers, const std::string& name, const char* quantity, const char* title,
           const char* brief, const fs::path& file) {
    Rate& rate = rates_[file.string()];
    readers.push_back(
        {{fmt::format("net.{}.{}", as_id(name), quantity), fmt::format("Network {} {}", name, title), brief,
          fmt::format("Network {}", name), DeviceKind::network, Unit::megabit_per_second, file.string()},
         [file, &rate](Moment now) { return file_rate(file, rate, now, 1.0 / kBytesInMegabit); }});
  }

  fs::path folder_;
  std::map<std::string, Rate> rates_;
};

}  // namespace

std::unique_ptr<Source> network_source(const fs::path& root) { return std::make_unique<NetworkSource>(root); }

}  // namespace idlemeter::sources
