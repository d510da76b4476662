// Frames kept by their time while they come and go.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <vector>

#include "frames/tail.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter::frames {

/// Frame times in blocks of up to 512, each block's all at or above those of the block before. A frame goes to the end
/// of its block, which one binary search among the blocks finds; a block is put in order only when a question falls
/// into it, and a question about the slowest walks the blocks' counts and sums from the slow end. A frame takes four to
/// eight bytes: times are kept in 32 bits, and the few from 4.3 s on apart.
///
/// One thread at a time, also for the questions: they put blocks in order.
class OrderedFrames : public TailView {
 public:
  void insert(Nanoseconds value);

  /// Removes one frame of this time, which must be there.
  void erase(Nanoseconds value);

  /// Removes one frame of this time. Returns false if there isn't one.
  bool try_erase(Nanoseconds value);

  /// Adds all frames of another, which is empty then.
  void take_all(OrderedFrames& other);

  [[nodiscard]] std::uint64_t count() const;

  /// The frames that took longer than `value`.
  struct Above {
    std::uint64_t count = 0;
    Nanoseconds sum{};
  };
  [[nodiscard]] Above above(Nanoseconds value) const;

  void clear();

  [[nodiscard]] Nanoseconds shortest() const override;
  [[nodiscard]] Tail slowest(std::uint64_t k) const override;
  [[nodiscard]] Nanoseconds reaching(Nanoseconds time) const override;

  /// Bytes held.
  [[nodiscard]] std::size_t memory() const;

 private:
  static constexpr std::uint32_t kCapacity = 512;
  static constexpr std::uint32_t kFew = 24;                    // new values in a block that aren't worth a merge
  static constexpr Nanoseconds kShort{std::int64_t{1} << 32};  // times from here on are kept apart

  using Stored = std::uint32_t;  // nanoseconds

  static Nanoseconds time_of(Stored value) { return Nanoseconds(std::int64_t{value}); }

  struct Block {
    std::uint32_t count = 0;
    mutable std::uint32_t in_order = 0;  // so many of the first values are
    std::unique_ptr<Stored[]> values = std::make_unique_for_overwrite<Stored[]>(kCapacity);

    [[nodiscard]] Stored* end() const { return &values[count]; }
    void append(Stored value) { values[count++] = value; }
    [[nodiscard]] Tail slowest(std::uint64_t k) const;
    [[nodiscard]] Nanoseconds reaching(Nanoseconds time) const;
    void put_in_order() const;
    [[nodiscard]] std::array<Stored, kFew> rest() const;
    [[nodiscard]] Stored* find(Stored value) const;  // end() if it isn't there
  };

  /// What sixty-four neighbouring blocks hold, so that a walk passes them in one step.
  struct Group {
    std::uint64_t count = 0;
    Nanoseconds sum{};
  };
  static constexpr std::size_t kGroup = 64;

  [[nodiscard]] std::size_t block_for(Stored value) const;
  void make_room(std::size_t full, Stored value);
  void add_block(std::size_t place, Stored from);
  bool erase_from_blocks(Stored value);
  [[nodiscard]] Tail slowest_short(std::uint64_t k) const;
  void remove_block(std::size_t place);
  void regroup(std::size_t from_block);

  // Apart from the blocks, so that a search and a walk stay within few cache lines.
  std::vector<Stored> from_;  // no value of the block is below; 0 for the first
  std::vector<Nanoseconds> sums_;
  std::vector<Block> blocks_;
  std::vector<Group> groups_;
  std::vector<Nanoseconds> long_;  // times of 4.3 s and more, in order
};

}  // namespace idlemeter::frames
