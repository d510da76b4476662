#include "runs/store/pack.hpp"

#include <fmt/format.h>
#include <zstd.h>

#include <algorithm>
#include <bit>
#include <cstring>
#include <memory>
#include <span>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter::runs {
namespace {

using Words = std::vector<std::uint64_t>;

constexpr std::size_t kMostWords = std::size_t{1} << 21;  // 16 MiB unpacked: beyond what a recorder packs at once
constexpr int kLevel = 3;

/// Small numbers of either sign become small ones without: 0, -1, 1, -2 -> 0, 1, 2, 3.
std::uint64_t folded(std::uint64_t difference) { return (difference << 1) ^ (0 - (difference >> 63)); }
std::uint64_t unfolded(std::uint64_t word) { return (word >> 1) ^ (0 - (word & 1)); }

/// Byte 0 of all words, then byte 1 of all …: those of high weight are mostly equal.
std::string bytes_of(const Words& words) {
  std::string bytes(8 * words.size(), '\0');
  for (std::size_t byte = 0; byte < 8; ++byte) {
    for (std::size_t i = 0; i < words.size(); ++i)
      bytes[byte * words.size() + i] = static_cast<char>(words[i] >> (8 * byte) & 0xff);
  }
  return bytes;
}

std::string compressed(std::string_view bytes) {
  std::string packed(ZSTD_compressBound(bytes.size()), '\0');
  const std::unique_ptr<ZSTD_CCtx, decltype(&ZSTD_freeCCtx)> context(ZSTD_createCCtx(), &ZSTD_freeCCtx);
  ZSTD_CCtx_setParameter(context.get(), ZSTD_c_compressionLevel, kLevel);
  ZSTD_CCtx_setParameter(context.get(), ZSTD_c_checksumFlag, 1);
  const std::size_t size = ZSTD_compress2(context.get(), packed.data(), packed.size(), bytes.data(), bytes.size());
  if (ZSTD_isError(size) != 0)
    throw Error(Error::Code::failed, fmt::format("cannot pack a run: {}", ZSTD_getErrorName(size)));
  packed.resize(size);
  return packed;
}

/// What was compressed.
class Expanded {
 public:
  Expanded(std::string_view packed, std::size_t count, const std::string& file) : count_(count) {
    const auto broken = [&] {
      return Error(Error::Code::damaged, "a part of the run is damaged: it can't be unpacked", file,
                   "repair the store: what can still be read is copied into a new one");
    };
    if (count > kMostWords || ZSTD_getFrameContentSize(packed.data(), packed.size()) != 8 * count) throw broken();
    bytes_.resize(8 * count);
    const std::size_t size = ZSTD_decompress(bytes_.data(), bytes_.size(), packed.data(), packed.size());
    if (ZSTD_isError(size) != 0 || size != bytes_.size()) throw broken();
  }

  /// The words from that place on.
  void read(std::size_t place, std::span<std::uint64_t> words) const {
    std::fill(words.begin(), words.end(), 0);
    for (std::size_t byte = 0; byte < 8 && !words.empty(); ++byte) {
      const char* const bytes = bytes_.data() + byte * count_ + place;
      // Mostly they are all 0: numbers have few digits, and change little.
      if (*bytes == 0 && std::memcmp(bytes, bytes + 1, words.size() - 1) == 0) continue;
      for (std::size_t i = 0; i < words.size(); ++i)
        words[i] |= std::uint64_t{static_cast<unsigned char>(bytes[i])} << (8 * byte);
    }
  }

 private:
  std::size_t count_;
  std::string bytes_;
};

}  // namespace

void RunBudget::take(std::size_t numbers, std::size_t packed_bytes) {
  allowed_ += packed_bytes * per_byte_;
  used_ += std::min(numbers, kMostWords + 1);
  if (used_ > allowed_)
    throw Error(Error::Code::damaged, "a run unpacks to more than any recording does", file_,
                "it may have been made to fill the memory: leave it alone");
}

std::string pack(std::span<const Nanoseconds> lengths) {
  Words words;
  words.reserve(lengths.size());
  std::uint64_t last = 0;
  for (const Nanoseconds length : lengths) {
    const auto now = static_cast<std::uint64_t>(length.count());
    words.push_back(folded(now - last));
    last = now;
  }
  return compressed(bytes_of(words));
}

std::vector<Nanoseconds> unpack(std::string_view packed, std::size_t count, const std::string& file) {
  const Expanded all(packed, count, file);
  Words words(count);
  all.read(0, words);
  std::vector<Nanoseconds> lengths;
  lengths.reserve(count);
  std::uint64_t last = 0;
  for (const std::uint64_t word : words) lengths.emplace_back(static_cast<std::int64_t>(last += unfolded(word)));
  return lengths;
}

std::string pack(const RunSamples& block) {
  Words words;
  words.reserve(block.at.size() * (1 + block.columns.size()));
  std::uint64_t last = 0;
  for (const Moment at : block.at) {
    const auto now = static_cast<std::uint64_t>(at.time_since_epoch().count());
    words.push_back(folded(now - last));
    last = now;
  }
  for (const std::vector<double>& column : block.columns) {
    last = 0;
    for (const double value : column) {
      const auto now = std::bit_cast<std::uint64_t>(value);
      words.push_back(now ^ last);
      last = now;
    }
  }
  return compressed(bytes_of(words));
}

RunSamples unpack(std::string_view packed, std::size_t samples, std::size_t readings, const std::string& file) {
  const bool fits = samples <= kMostWords && readings <= kMostWords;  // so that the product doesn't overflow
  const Expanded all(packed, fits ? samples * (1 + readings) : kMostWords + 1, file);
  RunSamples block;
  if (samples == 0) return block;
  block.at.reserve(samples);
  Words words(samples);
  all.read(0, words);
  std::uint64_t last = 0;
  for (const std::uint64_t word : words)
    block.at.emplace_back(Nanoseconds(static_cast<std::int64_t>(last += unfolded(word))));
  block.columns.reserve(readings);
  for (std::size_t column = 0; column < readings; ++column) {
    all.read(samples * (1 + column), words);
    last = 0;
    std::vector<double>& numbers = block.columns.emplace_back();
    numbers.reserve(samples);
    for (const std::uint64_t word : words) numbers.push_back(std::bit_cast<double>(last ^= word));
  }
  return block;
}

std::string pack_bytes(std::string_view bytes) { return compressed(bytes); }

std::string unpack_bytes(std::string_view packed) {
  constexpr unsigned long long kMostBytes = 1ULL << 26;
  const auto size = ZSTD_getFrameContentSize(packed.data(), packed.size());
  std::string bytes(size <= kMostBytes ? size : 0,
                    '\0');  // ZSTD_CONTENTSIZE_UNKNOWN and _ERROR are the largest numbers
  // Making one takes longer than unpacking some kilobytes.
  thread_local const std::unique_ptr<ZSTD_DCtx, decltype(&ZSTD_freeDCtx)> context(ZSTD_createDCtx(), &ZSTD_freeDCtx);
  const std::size_t done = ZSTD_decompressDCtx(context.get(), bytes.data(), bytes.size(), packed.data(), packed.size());
  if (ZSTD_isError(done) != 0 || done != bytes.size())
    throw Error(Error::Code::damaged, "packed bytes are damaged: they can't be unpacked");
  return bytes;
}

}  // namespace idlemeter::runs
