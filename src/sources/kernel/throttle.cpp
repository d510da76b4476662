#include "sources/kernel/throttle.hpp"

#include <algorithm>
#include <array>
#include <cstring>
#include <fstream>
#include <vector>

#include "sources/kernel/kernel_file.hpp"

namespace idlemeter::sources {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view kHeat = "heat", kPower = "power", kCurrent = "current", kOther = "other";

/// Words in this order, each once.
std::string joined(const std::vector<std::string_view>& found) {
  std::string text;
  for (const std::string_view word : {kHeat, kPower, kCurrent, kOther}) {
    if (std::find(found.begin(), found.end(), word) == found.end()) continue;
    text += (text.empty() ? "" : ", ") + std::string(word);
  }
  return text.empty() ? "none" : text;
}

constexpr std::uint64_t bits(int from, int to) {
  return (~std::uint64_t{0} >> (63 - to)) & (~std::uint64_t{0} << from);
}

// SMU_THROTTLER_*_BIT of amdgpu_smu.h.
constexpr ThrottleBits kAmd[] = {
    {bits(32, 47), kHeat}, {bits(0, 7), kPower}, {bits(16, 23), kCurrent}, {bits(56, 57), kOther}};

// nvmlClocksThrottleReason* of nvml.h; an idle GPU and a clock that an application asked for aren't throttled.
constexpr ThrottleBits kNvml[] = {{0x20 | 0x40, kHeat}, {0x4 | 0x80, kPower}, {0x8 | 0x10, kOther}};

std::string_view intel_word(std::string_view reason) {
  if (reason.starts_with("pl")) return kPower;  // power limits 1, 2 and 4
  const bool heat = reason.find("therm") != std::string_view::npos || reason == "prochot" || reason == "ratl";
  return heat ? kHeat : reason == "vr_tdc" ? kCurrent : kOther;
}

}  // namespace

std::string throttle_words(std::uint64_t mask, std::span<const ThrottleBits> words) {
  std::vector<std::string_view> found;
  for (const ThrottleBits& one : words) {
    if ((mask & one.bits) != 0) found.push_back(one.word);
  }
  return joined(found);
}

/// The place of the status in a metrics table of that version; 0: it isn't known.
std::size_t status_place(int format, int content) {
  constexpr std::size_t kCardsAt = 112, kProcessorsAt = 120;  // in versions 1.3 and 2.2 to 2.4
  if (format == 1 && content == 3) return kCardsAt;
  return format == 2 && content >= 2 && content <= 4 ? kProcessorsAt : 0;
}

Value amd_throttle(const fs::path& metrics) {
  std::array<unsigned char, 128> table{};
  std::ifstream file(metrics, std::ios::binary);
  file.read(reinterpret_cast<char*>(table.data()), table.size());
  const std::size_t at = status_place(table[2], table[3]);
  if (at == 0) return Missing{"this card's driver reports its reasons in a form that isn't known"};
  std::uint64_t status = 0;
  if (file.gcount() < static_cast<std::streamsize>(at + sizeof status))
    return Missing{metrics.string() + " is shorter than its version says"};
  std::memcpy(&status, &table[at], sizeof status);
  if (status == ~std::uint64_t{0}) return Missing{"the card doesn't report its reasons"};
  return throttle_words(status, kAmd);
}

Value intel_throttle(const fs::path& folder, std::string_view prefix) {
  std::vector<std::string_view> found;
  bool any = false;
  for (const std::string& name : names_in(folder)) {
    if (!name.starts_with(prefix) || name.ends_with("status")) continue;
    const auto set = number(read_number(folder / name));
    any = any || set.has_value();
    if (set && *set != 0) found.push_back(intel_word(std::string_view(name).substr(prefix.size())));
  }
  return any ? Value(joined(found)) : Value(Missing{folder.string() + " holds no reasons"});
}

std::string nvml_throttle(unsigned long long reasons) { return throttle_words(reasons, kNvml); }

}  // namespace idlemeter::sources
