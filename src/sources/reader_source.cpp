#include "sources/reader_source.hpp"

#include <cassert>

namespace idlemeter::sources {

std::vector<ReadingInfo> ReaderSource::discover() {
  readers_ = find();
  std::vector<ReadingInfo> infos;
  infos.reserve(readers_.size());
  for (const Reader& reader : readers_) infos.push_back(reader.info);
  return infos;
}

bool ReaderSource::sample(Nanoseconds now, std::span<Value> values) {
  assert(values.size() == readers_.size());
  const bool same = before_sample(now);
  for (std::size_t i = 0; i < readers_.size(); ++i) values[i] = readers_[i].read(now);
  return same;
}

}  // namespace idlemeter::sources
