#include "frames/ordered_frames.hpp"

#include <algorithm>
#include <array>
#include <functional>
#include <numeric>
#include <stdexcept>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter::frames {

/// Sorts what is new and merges it from the back. Left undone if little is new: rest() then is cheaper.
void OrderedFrames::Block::put_in_order() const {
  if (count - in_order <= kFew) return;
  Stored* first = values.get();
  std::sort(first + in_order, end());
  std::array<Stored, kCapacity> added;
  const Stored* next = std::copy(first + in_order, end(), added.data());
  Stored* old = first + in_order;
  for (Stored* to = end(); next != added.data();) {
    *--to = old != first && old[-1] > next[-1] ? *--old : *--next;
  }
  in_order = count;
}

/// The few values that are not in order yet, slowest first.
std::array<OrderedFrames::Stored, OrderedFrames::kFew> OrderedFrames::Block::rest() const {
  std::array<Stored, kFew> slowest_first{};
  const auto last = std::copy(values.get() + in_order, end(), slowest_first.begin());
  std::sort(slowest_first.begin(), last, std::greater<>());
  return slowest_first;
}

/// 1 <= k <= count. Of the ordered values the last k are taken, then each of the rest instead of the fastest taken so
/// far.
Tail OrderedFrames::Block::slowest(std::uint64_t k) const {
  put_in_order();
  const auto others = rest();
  const std::size_t few = count - in_order;
  const Stored* top = values.get() + in_order;
  std::size_t taken = 0;  // of the others
  while (taken < few && taken < k && (k - taken > in_order || others[taken] > *(top - (k - taken)))) ++taken;
  const Stored* from = top - (k - taken);
  const std::int64_t sum =
      std::accumulate(from, top, std::accumulate(others.data(), others.data() + taken, std::int64_t{0}));
  if (taken == 0) return {time_of(*from), Nanoseconds(sum)};
  return {time_of(from == top ? others[taken - 1] : std::min(*from, others[taken - 1])), Nanoseconds(sum)};
}

/// The value at which the slowest reach `time`, which is at most the block's sum.
Nanoseconds OrderedFrames::Block::reaching(Nanoseconds time) const {
  put_in_order();
  const auto others = rest();
  const Stored* const last = others.data() + (count - in_order);
  const Stored* ordered = values.get() + in_order;
  for (const Stored* other = others.data();; ++other) {
    const Stored next = other != last ? *other : 0;
    while (ordered != values.get() && ordered[-1] >= next) {
      const Nanoseconds value = time_of(*--ordered);
      if (time <= value) return value;
      time -= value;
    }
    if (other == last) throw Error(Error::Code::misuse, "a block holds less time than its sum");
    if (time <= time_of(next)) return time_of(next);
    time -= time_of(next);
  }
}

OrderedFrames::Stored* OrderedFrames::Block::find(Stored value) const {
  Stored* const rest = values.get() + in_order;
  Stored* const place = std::lower_bound(values.get(), rest, value);
  return place != rest && *place == value ? place : std::find(rest, end(), value);
}

/// The last block from at or below the value. Without branches on the data: which half is never predictable.
std::size_t OrderedFrames::block_for(Stored value) const {
  const Stored* base = from_.data();
  for (std::size_t length = from_.size(); length > 1;) {
    const std::size_t half = length / 2;
    base += base[half] <= value ? half : 0;
    length -= half;
  }
  return static_cast<std::size_t>(base - from_.data());
}

/// Counts the groups again from the one of that block on.
void OrderedFrames::regroup(std::size_t from_block) {
  groups_.resize((blocks_.size() + kGroup - 1) / kGroup);
  for (std::size_t g = from_block / kGroup; g < groups_.size(); ++g) {
    groups_[g] = {};
    for (std::size_t b = g * kGroup; b < std::min((g + 1) * kGroup, blocks_.size()); ++b) {
      groups_[g].count += blocks_[b].count;
      groups_[g].sum += sums_[b];
    }
  }
}

void OrderedFrames::add_block(std::size_t place, Stored from) {
  const auto at = static_cast<std::ptrdiff_t>(place);
  from_.insert(from_.begin() + at, from);
  sums_.insert(sums_.begin() + at, Nanoseconds{});
  blocks_.emplace(blocks_.begin() + at);
}

void OrderedFrames::remove_block(std::size_t place) {
  const auto at = static_cast<std::ptrdiff_t>(place);
  from_.erase(from_.begin() + at);
  sums_.erase(sums_.begin() + at);
  blocks_.erase(blocks_.begin() + at);
  if (!from_.empty()) from_.front() = {};
}

void OrderedFrames::insert(Nanoseconds time) {
  if (time >= kShort) {
    long_.insert(std::upper_bound(long_.begin(), long_.end(), time), time);
    return;
  }
  const auto value = static_cast<Stored>(time.count());
  if (blocks_.empty()) {
    add_block(0, {});
    regroup(0);
  }
  std::size_t b = block_for(value);
  if (blocks_[b].count == kCapacity) {
    make_room(b, value);
    b = block_for(value);
  }
  blocks_[b].append(value);
  sums_[b] += time;
  ++groups_[b / kGroup].count;
  groups_[b / kGroup].sum += time;
}

/// Makes room where the value goes: a new block at either end of the list if frames only rise or fall, so that
/// blocks stay full; else the upper half of the full block moves into a new one.
void OrderedFrames::make_room(std::size_t full, Stored value) {
  Stored* first = blocks_[full].values.get();
  Stored* last = blocks_[full].end();
  const auto [least, most] = std::minmax_element(first, last);
  if (full + 1 == blocks_.size() && value >= *most) {
    add_block(full + 1, value);
    return regroup(full + 1);
  }
  if (full == 0 && value < *least) {
    from_[0] = *least;
    add_block(0, {});
    return regroup(0);
  }
  Stored* middle = first + kCapacity / 2;
  std::nth_element(first, middle, last);
  add_block(full + 1, *middle);  // moves blocks, not their values
  Block& upper = blocks_[full + 1];
  upper.count = static_cast<std::uint32_t>(std::copy(middle, last, upper.values.get()) - upper.values.get());
  sums_[full + 1] = Nanoseconds(std::accumulate(middle, last, std::int64_t{0}));
  sums_[full] -= sums_[full + 1];
  blocks_[full].count -= upper.count;
  blocks_[full].in_order = 0;
  regroup(full);
}

void OrderedFrames::erase(Nanoseconds value) {
  if (!try_erase(value)) throw Error(Error::Code::misuse, "a frame is removed that was never added");
}

bool OrderedFrames::try_erase(Nanoseconds time) {
  if (time < kShort) return !blocks_.empty() && erase_from_blocks(static_cast<Stored>(time.count()));
  const auto place = std::lower_bound(long_.begin(), long_.end(), time);
  if (place == long_.end() || *place != time) return false;
  long_.erase(place);
  return true;
}

bool OrderedFrames::erase_from_blocks(Stored value) {
  std::size_t b = block_for(value);
  Stored* place = blocks_[b].find(value);
  while (place == blocks_[b].end()) {  // equal values may all be in the block before
    if (b == 0 || from_[b] != value) return false;
    --b;
    place = blocks_[b].find(value);
  }
  Block& block = blocks_[b];
  std::copy(place + 1, block.end(), place);
  block.in_order -= place < block.values.get() + block.in_order ? 1 : 0;
  --block.count;
  sums_[b] -= time_of(value);
  --groups_[b / kGroup].count;
  groups_[b / kGroup].sum -= time_of(value);
  if (block.count == 0) {
    remove_block(b);
    regroup(b);
    return true;
  }
  if (b + 1 == blocks_.size() || block.count + blocks_[b + 1].count > kCapacity / 2) return true;
  for (const Stored* moved = blocks_[b + 1].values.get(); moved != blocks_[b + 1].end(); ++moved) block.append(*moved);
  sums_[b] += sums_[b + 1];
  remove_block(b + 1);  // two sparse neighbours are one: the number of blocks follows the frames of a sliding span
  regroup(b);
  return true;
}

void OrderedFrames::take_all(OrderedFrames& other) {
  for (const Block& block : other.blocks_) {
    for (const Stored* value = block.values.get(); value != block.end(); ++value) insert(time_of(*value));
  }
  for (const Nanoseconds time : other.long_) insert(time);
  other.clear();
}

void OrderedFrames::clear() {
  from_.clear();
  sums_.clear();
  blocks_.clear();
  groups_.clear();
  long_.clear();
}

std::uint64_t OrderedFrames::count() const {
  return std::accumulate(groups_.begin(), groups_.end(), std::uint64_t{long_.size()},
                         [](std::uint64_t sum, const Group& group) { return sum + group.count; });
}

OrderedFrames::Above OrderedFrames::above(Nanoseconds time) const {
  Above all;
  for (auto longer = long_.rbegin(); longer != long_.rend() && *longer > time; ++longer) {
    ++all.count;
    all.sum += *longer;
  }
  if (time >= kShort || blocks_.empty()) return all;
  const auto value = static_cast<Stored>(std::max(time, Nanoseconds{}).count());
  const std::size_t at = block_for(value);  // the blocks after it are all above
  std::size_t b = blocks_.size();
  for (std::size_t g = groups_.size(); g-- > at / kGroup + 1; b = g * kGroup) {
    all.count += groups_[g].count;
    all.sum += groups_[g].sum;
  }
  while (--b > at) {
    all.count += blocks_[b].count;
    all.sum += sums_[b];
  }
  for (const Stored* one = blocks_[at].values.get(); one != blocks_[at].end(); ++one) {
    const bool is_above = *one > value;
    all.count += is_above ? 1 : 0;
    all.sum += Nanoseconds(is_above ? std::int64_t{*one} : 0);
  }
  return all;
}

Nanoseconds OrderedFrames::shortest() const {
  if (blocks_.empty()) return long_.front();
  return time_of(*std::min_element(blocks_.front().values.get(), blocks_.front().end()));
}

Tail OrderedFrames::slowest(std::uint64_t k) const {
  const std::uint64_t apart = std::min<std::uint64_t>(k, long_.size());
  const auto first = long_.end() - static_cast<std::ptrdiff_t>(apart);
  const Nanoseconds sum = std::accumulate(first, long_.end(), Nanoseconds{});
  if (apart == k) return {*first, sum};
  const Tail rest = slowest_short(k - apart);
  return {rest.kth, sum + rest.sum};
}

Tail OrderedFrames::slowest_short(std::uint64_t k) const {
  Nanoseconds sum{};
  std::size_t g = groups_.size() - 1;
  for (; k > groups_[g].count; --g) {
    k -= groups_[g].count;
    sum += groups_[g].sum;
  }
  std::size_t b = std::min((g + 1) * kGroup, blocks_.size()) - 1;
  for (; k > blocks_[b].count; --b) {
    k -= blocks_[b].count;
    sum += sums_[b];
  }
  const Tail rest = blocks_[b].slowest(k);
  return {rest.kth, sum + rest.sum};
}

Nanoseconds OrderedFrames::reaching(Nanoseconds time) const {
  for (auto longer = long_.rbegin(); longer != long_.rend(); ++longer) {
    if (time <= *longer) return *longer;
    time -= *longer;
  }
  std::size_t g = groups_.size() - 1;
  for (; time > groups_[g].sum; --g) time -= groups_[g].sum;
  std::size_t b = std::min((g + 1) * kGroup, blocks_.size()) - 1;
  for (; time > sums_[b]; --b) time -= sums_[b];
  return blocks_[b].reaching(time);
}

std::size_t OrderedFrames::memory() const {
  const std::size_t heads = from_.capacity() * sizeof(Stored) + sums_.capacity() * sizeof(Nanoseconds) +
                            blocks_.capacity() * sizeof(Block) + long_.capacity() * sizeof(Nanoseconds);
  return heads + groups_.capacity() * sizeof(Group) + blocks_.size() * kCapacity * sizeof(Stored);
}

}  // namespace idlemeter::frames
