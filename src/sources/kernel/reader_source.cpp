#include "sources/kernel/reader_source.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <stdexcept>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter::sources {

void ReaderSource::make_ids_unique() {
  std::map<std::string, std::vector<Reader*>> same;
  for (Reader& reader : readers_) same[reader.info.id].push_back(&reader);
  std::erase_if(numbered_, [&](const auto& entry) { return !same.contains(entry.first); });
  for (const auto& [id, readers] : same) {
    std::vector<std::string>& known = numbered_[id];
    std::vector<bool> taken(known.size() + readers.size());
    for (Reader* reader : readers) {
      std::size_t place = 0;  // the one it had, else a new one: two readings of one file get one each
      while (place < known.size() && (taken[place] || known[place] != reader->info.source)) ++place;
      if (place == known.size()) known.push_back(reader->info.source);
      taken[place] = true;
      if (place == 0) continue;
      reader->info.id = fmt::format("{}@{}", id, place + 1);
      reader->info.title += fmt::format(" ({})", place + 1);
      reader->info.brief += fmt::format(" {}", place + 1);
    }
  }
}

std::vector<ReadingInfo> ReaderSource::discover() {
  readers_ = find();
  make_ids_unique();
  std::vector<ReadingInfo> infos;
  infos.reserve(readers_.size());
  for (const Reader& reader : readers_) infos.push_back(reader.info);
  return infos;
}

bool ReaderSource::sample(Moment now, std::span<Value> values) {
  if (values.size() != readers_.size())
    throw Error(Error::Code::misuse, fmt::format("asked for {} values of {} readings", values.size(), readers_.size()));
  const bool same = before_sample(now);
  for (std::size_t i = 0; i < readers_.size(); ++i) values[i] = readers_[i].read(now);
  return same;
}

}  // namespace idlemeter::sources
