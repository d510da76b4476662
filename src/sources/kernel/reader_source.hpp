// The shape that most sources have: a list of readings, each with a function that reads it.
#pragma once

#include <functional>
#include <map>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"

namespace idlemeter::sources {

/// A reading with what gets its value; `now` on the monotonic clock.
struct Reader {
  ReadingInfo info;
  std::function<Value(Moment now)> read;
};

/// A source that is its readers. Derived classes say which there are, and may read what several share beforehand.
///
/// Machines repeat labels. Of several readings with the id "thermal.acpitz.temp" the later ones become
/// "thermal.acpitz.temp@2", "…@3", in the order in which find() names them; while the source lives, each keeps its
/// number, whichever of the others come or go.
class ReaderSource : public Source {
 public:
  explicit ReaderSource(std::string name) : name_(std::move(name)) {}

  [[nodiscard]] std::string name() const override { return name_; }
  std::vector<ReadingInfo> discover() final;
  [[nodiscard]] bool sample(Moment now, std::span<Value> values) final;

 protected:
  /// What there is now.
  virtual std::vector<Reader> find() = 0;

  /// Reads what several readers share. False if devices came or went.
  virtual bool before_sample(Moment /*now*/) { return true; }

  /// From now on readings may have the ids of others that were found before: another game's, another card's.
  void forget_numbers() { numbered_.clear(); }

 private:
  void make_ids_unique();

  std::string name_;
  std::map<std::string, std::vector<std::string>> numbered_;  // by id: where the readings come from, by number
  std::vector<Reader> readers_;
};

}  // namespace idlemeter::sources
