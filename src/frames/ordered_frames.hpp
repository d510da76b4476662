// Frames kept by their time while they come and go.
#pragma once

#include <array>
#include <cstddef>
#include <memory>
#include <vector>

#include "frames/tail.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter::frames {

/// Frame times in blocks of up to 512, each block's all at or above those of the block before. A frame goes to the end
/// of its block, which one binary search among the blocks finds; a block is put in order only when a question falls
/// into it, and a question about the slowest walks the blocks' counts and sums from the slow end.
///
/// One thread at a time, also for the questions: they put blocks in order.
class OrderedFrames : public TailView {
 public:
  void insert(Nanoseconds value);

  /// Removes one frame of this time, which must be there.
  void erase(Nanoseconds value);

  void clear();

  [[nodiscard]] Nanoseconds shortest() const override;
  [[nodiscard]] Tail slowest(std::uint64_t k) const override;
  [[nodiscard]] Nanoseconds reaching(Nanoseconds time) const override;

  /// Bytes held.
  [[nodiscard]] std::size_t memory() const;

 private:
  static constexpr std::uint32_t kCapacity = 512;
  static constexpr std::uint32_t kFew = 24;  // new values in a block that aren't worth a merge

  struct Block {
    std::uint32_t count = 0;
    mutable std::uint32_t in_order = 0;  // so many of the first values are
    std::unique_ptr<Nanoseconds[]> values = std::make_unique_for_overwrite<Nanoseconds[]>(kCapacity);

    [[nodiscard]] Nanoseconds* end() const { return &values[count]; }
    void append(Nanoseconds value) { values[count++] = value; }
    [[nodiscard]] Tail slowest(std::uint64_t k) const;
    [[nodiscard]] Nanoseconds reaching(Nanoseconds time) const;
    void put_in_order() const;
    [[nodiscard]] std::array<Nanoseconds, kFew> rest() const;
    [[nodiscard]] Nanoseconds* find(Nanoseconds value) const;  // end() if it isn't there
  };

  /// What sixty-four neighbouring blocks hold, so that a walk passes them in one step.
  struct Group {
    std::uint64_t count = 0;
    Nanoseconds sum{};
  };
  static constexpr std::size_t kGroup = 64;

  [[nodiscard]] std::size_t block_for(Nanoseconds value) const;
  void make_room(std::size_t full, Nanoseconds value);
  void add_block(std::size_t place, Nanoseconds from);
  void remove_block(std::size_t place);
  void regroup(std::size_t from_block);

  // Apart from the blocks, so that a search and a walk stay within few cache lines.
  std::vector<Nanoseconds> from_;  // no value of the block is below; 0 for the first
  std::vector<Nanoseconds> sums_;
  std::vector<Block> blocks_;
  std::vector<Group> groups_;
};

}  // namespace idlemeter::frames
