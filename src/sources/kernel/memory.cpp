// /proc/meminfo.
#include <fmt/format.h>

#include <map>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

constexpr double kKibibytesPerMebibyte = 1024;

class MemorySource : public ReaderSource {
 public:
  explicit MemorySource(const fs::path& root) : ReaderSource("memory"), path_(root / "proc/meminfo") {}

 private:
  using Fields = std::map<std::string, double, std::less<>>;

  bool before_sample(Moment /*now*/) override {
    const FileText file = read_file(path_);
    fields_.clear();
    error_ = file.error;
    for (std::string_view line : lines(file.text)) {  // "MemTotal:       24684096 kB"
      const auto parts = words(line);
      if (parts.size() < 2 || !parts[0].ends_with(':')) continue;
      const auto count = leading_count(parts[1]);
      if (count) fields_.emplace(parts[0].substr(0, parts[0].size() - 1), static_cast<double>(*count));
    }
    return true;
  }

  [[nodiscard]] std::optional<double> field(std::string_view name) const {
    const auto found = fields_.find(name);
    return found == fields_.end() ? std::nullopt : std::optional(found->second);
  }

  /// a - b in MiB; b may be "".
  [[nodiscard]] Value difference(const char* a, const char* b) const {
    const auto first = field(a);
    const auto second = *b == '\0' ? std::optional(0.0) : field(b);
    if (error_ != 0) return cannot_read(path_, error_);
    if (!first || !second) return Missing{fmt::format("{} has no {}", path_.string(), first ? b : a)};
    return (*first - *second) / kKibibytesPerMebibyte;
  }

  /// (a - b) as a share of a.
  [[nodiscard]] Value share(const char* a, const char* b) const {
    const Value used = difference(a, b);
    const auto total = field(a);
    if (!number(used)) return used;
    if (*total == 0) return Missing{"there is none"};
    return *number(used) * kKibibytesPerMebibyte * 100 / *total;
  }

  std::vector<Reader> find() override {
    const auto reader = [this](const char* id, const char* title, const char* brief, Unit unit, auto read) {
      return Reader{{id, title, brief, "Memory", DeviceKind::memory, unit, path_.string()}, std::move(read)};
    };
    const auto amount = [this](const char* a, const char* b) { return [=, this](Moment) { return difference(a, b); }; };
    const auto load = [this](const char* a, const char* b) { return [=, this](Moment) { return share(a, b); }; };
    return {
        reader("ram.used", "Memory used", "RAM", Unit::mebibyte, amount("MemTotal", "MemAvailable")),
        reader("ram.available", "Memory available", "RAM free", Unit::mebibyte, amount("MemAvailable", "")),
        reader("ram.total", "Memory in all", "RAM total", Unit::mebibyte, amount("MemTotal", "")),
        reader("ram.load", "Memory used, share", "RAM", Unit::percent, load("MemTotal", "MemAvailable")),
        reader("ram.cached", "Memory used as file cache", "Cache", Unit::mebibyte, amount("Cached", "")),
        reader("swap.used", "Swap used", "Swap", Unit::mebibyte, amount("SwapTotal", "SwapFree")),
        reader("swap.total", "Swap in all", "Swap total", Unit::mebibyte, amount("SwapTotal", "")),
        reader("swap.load", "Swap used, share", "Swap", Unit::percent, load("SwapTotal", "SwapFree")),
    };
  }

  fs::path path_;
  Fields fields_;
  int error_ = 0;
};

}  // namespace

std::unique_ptr<Source> memory_source(const fs::path& root) { return std::make_unique<MemorySource>(root); }

}  // namespace idlemeter::sources
