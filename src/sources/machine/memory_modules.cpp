// Memory type and speed out of the firmware's tables (DSP0134, "System Management BIOS Reference", 7.18: Memory
// Device).
#include <fmt/format.h>

#include <array>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

/// What the tables say about the installed modules.
struct Modules {
  int count = 0;
  std::string type;
  double speed = 0;  // MT/s as configured
};

constexpr unsigned char kMemoryDevice = 17, kEndOfTable = 127;
enum Offset { kLength = 1, kSize = 0x0C, kType = 0x12, kSpeed = 0x15, kConfiguredSpeed = 0x20 };

std::string type_name(unsigned char code) {
  constexpr std::array kNames = {std::pair{0x18, "DDR3"},   std::pair{0x1A, "DDR4"}, std::pair{0x1D, "LPDDR3"},
                                 std::pair{0x1E, "LPDDR4"}, std::pair{0x22, "DDR5"}, std::pair{0x23, "LPDDR5"},
                                 std::pair{0x13, "DDR2"},   std::pair{0x20, "HBM"}};
  for (const auto& [known, name] : kNames) {
    if (known == code) return name;
  }
  return "";
}

/// One structure with its length; fields beyond the length read as 0.
class Structure {
 public:
  explicit Structure(std::string_view bytes) : bytes_(bytes) {}
  [[nodiscard]] unsigned char byte(std::size_t at) const {
    return at < bytes_.size() ? static_cast<unsigned char>(bytes_[at]) : 0;
  }
  [[nodiscard]] int word(std::size_t at) const { return at + 1 < bytes_.size() ? byte(at) | byte(at + 1) << 8 : 0; }

 private:
  std::string_view bytes_;
};

void take(const Structure& device, Modules& modules) {
  if (device.word(kSize) == 0) return;  // an empty slot
  ++modules.count;
  if (modules.type.empty()) modules.type = type_name(device.byte(kType));
  const int configured = device.word(kConfiguredSpeed), rated = device.word(kSpeed);
  if (modules.speed == 0) modules.speed = configured > 0 && configured < 0xFFFF ? configured : rated;
}

/// Walks the table: each structure is followed by strings that end with two zeros.
Modules modules_in(std::string_view table) {
  Modules modules;
  while (table.size() >= 4) {
    const auto length = static_cast<unsigned char>(table[kLength]);
    const auto type = static_cast<unsigned char>(table[0]);
    if (length < 4 || length > table.size() || type == kEndOfTable) break;
    if (type == kMemoryDevice) take(Structure(table.substr(0, length)), modules);
    const std::size_t end = table.find(std::string_view("\0\0", 2), length);
    if (end == std::string_view::npos) break;
    table.remove_prefix(end + 2);
  }
  return modules;
}

fs::path table_of(const fs::path& root) { return root / "sys/firmware/dmi/tables/DMI"; }

Modules read_modules(const FileText& file) { return modules_in(file.text + std::string(2, '\0')); }

class MemoryModuleSource : public ReaderSource {
 public:
  explicit MemoryModuleSource(const fs::path& root) : ReaderSource("memory modules"), table_(table_of(root)) {}

  [[nodiscard]] Nanoseconds pace() const override { return std::chrono::minutes(1); }

 private:
  bool before_sample(Moment /*now*/) override {
    const FileText file = read_file(table_);
    error_ = file.error;
    modules_ = read_modules(file);
    return true;
  }

  template <typename Read>
  Reader reader(const char* id, const char* title, Unit unit, bool text, Read read) {
    return {{id, title, "RAM", "Memory", DeviceKind::memory, unit, table_.string(), -1, text},
            [this, read](Moment) -> Value {
              if (error_ != 0) return cannot_read(table_, error_);
              if (modules_.count == 0) return Missing{table_.string() + " lists no memory modules"};
              return read(modules_);
            }};
  }

  std::vector<Reader> find() override {
    std::error_code failed;
    if (!fs::exists(table_, failed)) return {};
    return {reader("ram.type", "Memory type", Unit::none, true,
                   [](const Modules& m) {
                     return m.type.empty() ? Value(Missing{"a type that is not known"}) : Value(m.type);
                   }),
            reader("ram.speed", "Memory speed", Unit::transfers_per_second, false,
                   [](const Modules& m) {
                     return m.speed > 0 ? Value(m.speed) : Value(Missing{"the firmware gives no speed"});
                   }),
            reader("ram.modules", "Memory modules", Unit::none, false,
                   [](const Modules& m) { return Value(static_cast<double>(m.count)); })};
  }

  fs::path table_;
  Modules modules_;
  int error_ = 0;
};

}  // namespace

std::string memory_kind(const fs::path& root) {
  const Modules modules = read_modules(read_file(table_of(root)));
  if (modules.type.empty()) return "";
  return modules.speed > 0 ? fmt::format("{}-{:.0f}", modules.type, modules.speed) : modules.type;
}

std::unique_ptr<Source> memory_module_source(const fs::path& root) {
  return std::make_unique<MemoryModuleSource>(root);
}

}  // namespace idlemeter::sources
