#include "runs/store/store_rows.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "idlemeter/base/error.hpp"
#include "idlemeter/frames/frame_record.hpp"

namespace idlemeter::runs {
namespace {

std::vector<Nanoseconds> lengths_of(const Statement& row, int column, bool packs, std::size_t count,
                                    const std::string& file) {
  if (!packs) return row.blob<Nanoseconds>(column);
  const auto packed = row.blob<char>(column);
  return packed.empty() ? std::vector<Nanoseconds>() : unpack({packed.data(), packed.size()}, count, file);
}

bool is_possible(Nanoseconds length) { return length >= Nanoseconds{1} && length <= kLongestTime; }

void expect(bool holds, const char* problem, const std::string& file) {
  if (!holds) throw Error(Error::Code::damaged, problem, file);
}

}  // namespace

FrameChunk read_chunk(const Statement& row, const std::string& file, RunBudget& budget, int first) {
  const auto count = static_cast<std::size_t>(std::max<std::int64_t>(0, row.integer(first + 1)));
  const bool packs = row.integer(first + 5) != 0;
  if (packs) budget.take(count, row.blob<char>(first + 3).size());
  FrameChunk chunk{row.moment(first), lengths_of(row, first + 3, packs, count, file),
                   lengths_of(row, first + 4, packs, count, file)};
  expect(chunk.start >= kEarliestMoment && chunk.start <= kLatestMoment, "frames begin at an impossible time", file);
  expect(chunk.intervals.size() == count, "a part of the frames has another count than it says", file);
  expect(std::all_of(chunk.intervals.begin(), chunk.intervals.end(), is_possible), "a frame time is impossible", file);
  expect(std::accumulate(chunk.intervals.begin(), chunk.intervals.end(), Nanoseconds{}) == row.nanoseconds(first + 2),
         "a part of the frames has another length than it says", file);
  const auto is_work = [](Nanoseconds work) {
    return work == kUnknownTime || is_possible(work) || work == Nanoseconds{};
  };
  expect(chunk.gpu_work.empty() || chunk.gpu_work.size() == count, "the GPU's times aren't as many as the frames",
         file);
  expect(std::all_of(chunk.gpu_work.begin(), chunk.gpu_work.end(), is_work), "a GPU time is impossible", file);
  return chunk;
}

RunSamples read_block(const Statement& row, const std::string& file, RunBudget& budget, int first) {
  const auto samples = static_cast<std::size_t>(std::max<std::int64_t>(0, row.integer(first)));
  const auto readings = static_cast<std::size_t>(std::max<std::int64_t>(0, row.integer(first + 1)));
  const auto packed = row.blob<char>(first + 2);
  constexpr std::size_t kEnough = std::size_t{1} << 24;  // the product can't overflow
  budget.take(std::min(samples, kEnough) * (std::min(readings, kEnough) + 1), packed.size());
  return unpack({packed.data(), packed.size()}, samples, readings, file);
}

RunSamples read_sample(const Statement& row, const std::string& file, int first) {
  expect(row.blob<char>(first + 1).size() % sizeof(double) == 0, "a sample is cut off", file);
  RunSamples sample;
  sample.at.push_back(row.moment(first));
  for (const double number : row.blob<double>(first + 1)) sample.columns.push_back({number});
  return sample;
}

}  // namespace idlemeter::runs
