#include "sources/kernel/rate.hpp"

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
namespace idlemeter::sources {

Value Rate::next(Moment now, std::uint64_t count) {
  constexpr Nanoseconds kLongestGap = 90 * kSecond;  // the slowest pace is a minute
  const auto last = last_;
  const Nanoseconds passed = now - time_;
  last_ = count;
  time_ = now;
  if (!last) return Missing{"a rate needs two samples"};
  if (passed <= Nanoseconds{} || passed > kLongestGap) return Missing{"the last sample is too old for a rate"};
  std::uint64_t grown = count - *last;
  if (count < *last) {
    if (range_ == 0 || *last >= range_) return Missing{"the counter went back: its device was reset"};
    grown = range_ - *last + count;
  }
  return static_cast<double>(grown) / in_seconds(passed);
}

Value scaled(Value rate, double scale) {
  if (double* value = std::get_if<double>(&rate)) *value *= scale;
  return rate;
}

Value file_rate(const fs::path& file, Rate& rate, Moment now, double scale) {
  const FileText text = read_file(file);
  if (!text.ok()) return cannot_read(file, text.error);
  const auto count = leading_count(text.text);
  if (!count) return Missing{file.string() + " holds no number"};
  return scaled(rate.next(now, *count), scale);
}

}  // namespace idlemeter::sources
