#include "idlemeter/runs/run_file.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <map>
#include <new>
#include <set>
#include <streambuf>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "runs/files/run_file_tree.hpp"
#include "runs/run_time.hpp"
#include "runs/store/copies.hpp"
#include "runs/store/store_state.hpp"
#include "runs/store/transaction.hpp"

namespace idlemeter {
namespace {

using namespace runs;

/// What is read of a file, with the place in it for errors.
class Reader {
 public:
  Reader(const JsonNode& node, const std::string& where, std::string place)
      : node_(node), where_(where), place_(std::move(place)) {}

  [[noreturn]] void fail(const std::string& problem) const {
    throw Error(Error::Code::invalid, fmt::format("{} {}", place_, problem), where_,
                "make such a file by exporting runs");
  }

  [[nodiscard]] Reader at(const char* name) const {
    if (!std::holds_alternative<JsonNode::Object>(node_.value)) fail("must be an object");
    const JsonNode* const found = node_.find(name);
    if (found == nullptr) fail(fmt::format("has no '{}'", name));
    return {*found, where_, place_ + "." + name};
  }
  [[nodiscard]] bool has(const char* name) const { return node_.find(name) != nullptr; }
  [[nodiscard]] bool is_null() const { return std::holds_alternative<std::monostate>(node_.value); }

  /// Calls `take` with a Reader of each element of an array.
  template <typename Take>
  void for_each(const Take& take) const {
    expect_size();
    const auto* const array = std::get_if<JsonNode::Array>(&node_.value);
    if (array == nullptr && size() > 0) element(0).fail("must be an object or a text");
    for (std::size_t i = 0; array != nullptr && i < array->size(); ++i) take(element(i, (*array)[i]));
  }

  [[nodiscard]] std::size_t size() const {
    if (const auto* integers = std::get_if<JsonNode::Integers>(&node_.value)) return integers->values.size();
    if (const auto* numbers = std::get_if<JsonNode::Numbers>(&node_.value)) return numbers->values.size();
    if (const auto* array = std::get_if<JsonNode::Array>(&node_.value)) return array->size();
    fail("must be an array");
  }
  [[nodiscard]] std::string text() const {
    const auto* const text = std::get_if<std::string>(&node_.value);
    if (text == nullptr) fail("must be a text");
    return *text;
  }
  [[nodiscard]] bool truth() const {
    const auto* const truth = std::get_if<bool>(&node_.value);
    if (truth == nullptr) fail("must be true or false");
    return *truth;
  }
  [[nodiscard]] std::int64_t integer(std::int64_t least, std::int64_t most) const {
    const auto* const number = std::get_if<std::int64_t>(&node_.value);
    if (number == nullptr || *number < least || *number > most)
      fail(fmt::format("must be a whole number from {} to {}", least, most));
    return *number;
  }

  /// An array of whole numbers, or of null where it may be.
  [[nodiscard]] const std::vector<std::int64_t>& integers(std::int64_t least, bool may_be_null = false) const {
    (void)size();
    const auto* const all = std::get_if<JsonNode::Integers>(&node_.value);
    if (all == nullptr) fail("must hold whole numbers");
    for (std::size_t i = 0; i < all->values.size(); ++i) {
      const std::int64_t one = all->values[i];
      const bool is_null = one == JsonNode::Integers::kNull;
      if (is_null ? !may_be_null : one < least || one > kLongestTime.count())
        element(i).fail(fmt::format("must be a whole number from {} to {}", least, kLongestTime.count()));
    }
    return all->values;
  }

  [[nodiscard]] std::map<std::string, std::string> texts() const {
    const auto* const object = std::get_if<JsonNode::Object>(&node_.value);
    if (object == nullptr) fail("must be an object");
    std::map<std::string, std::string> all;
    for (const auto& [name, value] : *object) all[name] = Reader(value, where_, place_ + "." + name).text();
    return all;
  }

  /// An element of an array of values.
  [[nodiscard]] Value value(std::size_t i) const {
    if (const auto* integers = std::get_if<JsonNode::Integers>(&node_.value)) {
      const std::int64_t one = integers->values[i];
      return one == JsonNode::Integers::kNull ? Value(Missing{}) : Value(static_cast<double>(one));
    }
    if (const auto* numbers = std::get_if<JsonNode::Numbers>(&node_.value))
      return std::isnan(numbers->values[i]) ? Value(Missing{}) : Value(numbers->values[i]);
    const JsonNode& one = std::get<JsonNode::Array>(node_.value)[i];
    if (std::holds_alternative<std::monostate>(one.value)) return Missing{};
    if (const auto* text = std::get_if<std::string>(&one.value)) return *text;
    if (const auto* whole = std::get_if<std::int64_t>(&one.value)) return static_cast<double>(*whole);
    if (const auto* number = std::get_if<double>(&one.value)) return *number;
    element(i).fail("must be a number, a text or null");
  }

 private:
  [[nodiscard]] Reader element(std::size_t i, const JsonNode& node) const {
    return {node, where_, fmt::format("{}[{}]", place_, i)};
  }
  [[nodiscard]] Reader element(std::size_t i) const { return element(i, node_); }
  void expect_size() const { (void)size(); }

  const JsonNode& node_;
  const std::string& where_;
  std::string place_;
};

RunDetails details_of(const Reader& run) {
  RunDetails details;
  details.game = run.at("game").text();
  details.note = run.at("note").text();
  if (details.note.size() > limits::kNoteBytes) run.at("note").fail("is longer than 64 KiB");
  run.at("tags").for_each([&](const Reader& tag) { details.tags.push_back(tag.text()); });
  details.facts = run.at("facts").texts();
  details.settings = run.at("settings").texts();
  return details;
}

DeviceKind kind_in(const Reader& reading) {
  const std::string kind = reading.text();
  const auto* const known =
      std::find_if(std::begin(kDeviceKinds), std::end(kDeviceKinds), [&](DeviceKind k) { return name_of(k) == kind; });
  if (known == std::end(kDeviceKinds)) reading.fail(fmt::format("isn't a kind of device: '{}'", kind));
  return *known;
}

ReadingInfo info_of(const Reader& reading) {
  ReadingInfo info;
  info.id = reading.at("id").text();
  info.title = reading.at("title").text();
  info.brief = reading.at("brief").text();
  info.device = reading.at("device").text();
  info.kind = kind_in(reading.at("kind"));
  const auto unit = unit_from(reading.at("unit").text());
  if (!unit && !reading.at("unit").text().empty()) reading.at("unit").fail("isn't a unit");
  info.unit = unit.value_or(Unit::none);
  info.digits = static_cast<int>(reading.at("digits").integer(-1, 9));
  info.text = reading.at("text").truth();
  info.source = reading.at("source").text();
  info.alias = reading.at("alias").text();
  return info;
}

void add_frames(Recorder& recorder, const Reader& frames) {
  const auto& presented = frames.at("presented_ns").integers(-kLongestTime.count());
  const auto& times = frames.at("frame_time_ns").integers(1);
  if (times.size() != presented.size()) frames.at("frame_time_ns").fail("must be as long as presented_ns");
  const std::vector<std::int64_t>* work = nullptr;
  if (frames.has("gpu_work_ns")) work = &frames.at("gpu_work_ns").integers(1, true);
  if (work != nullptr && work->size() != presented.size())
    frames.at("gpu_work_ns").fail("must be as long as presented_ns");
  for (std::size_t i = 0; i < presented.size(); ++i) {
    if (i > 0 && presented[i] < presented[i - 1])
      frames.at("presented_ns").fail(fmt::format("falls at [{}]: frames are in order of time", i));
    const bool known = work != nullptr && (*work)[i] != JsonNode::Integers::kNull;
    recorder.add(
        {Moment{Nanoseconds(presented[i])}, Nanoseconds(times[i]), known ? Nanoseconds((*work)[i]) : kUnknownTime});
  }
}

void add_readings(Recorder& recorder, const Reader& readings) {
  const Reader all = readings.at("of");
  const auto& at = readings.at("at_ns").integers(-kLongestTime.count());
  std::vector<ReadingInfo> infos;
  std::vector<Reader> values;
  all.for_each([&](const Reader& one) {
    infos.push_back(info_of(one));
    values.push_back(one.at("values"));
    if (values.back().size() != at.size()) values.back().fail("must be as long as at_ns");
  });
  if (infos.size() > limits::kReadingsOfRun) all.fail(fmt::format("has more than {} readings", limits::kReadingsOfRun));
  const auto list = std::make_shared<const ReadingList>(infos);
  if (list->readings().size() != infos.size()) all.fail("has a reading twice");
  for (std::size_t m = 0; m < at.size(); ++m) {
    if (m > 0 && at[m] <= at[m - 1])
      readings.at("at_ns").fail(fmt::format("doesn't rise at [{}]: samples are in order of time", m));
    const Moment moment{Nanoseconds(at[m])};
    std::vector<Value> row;
    row.reserve(values.size());
    for (const Reader& one : values) row.push_back(one.value(m));
    recorder.add(moment, Snapshot(moment, {std::make_shared<const Batch>(Batch{list, std::move(row), moment})}));
  }
}

/// Of a run in the file.
Extent extent_of(const Reader& run) {
  return {run.at("finished").truth(), static_cast<std::int64_t>(run.at("frames").at("presented_ns").size()),
          static_cast<std::int64_t>(run.at("readings").at("at_ns").size())};
}

/// Records a run of the file as a new one.
std::int64_t add_run(Store& store, const Reader& run, Database& database) {
  const std::string uuid = run.at("uuid").text(), started = run.at("started").text();
  if (uuid.empty() || uuid.size() > 1'000) run.at("uuid").fail("isn't a UUID");
  if (!is_run_time(started)) run.at("started").fail("isn't a time like 2026-03-01T20:15:00Z");
  const auto lost = static_cast<std::uint64_t>(run.at("lost_frames").integer(0, INT64_MAX));
  const bool finished = run.at("finished").truth();
  std::optional<RunEnd> end;
  if (const Reader ended = run.at("ended"); !ended.is_null()) {
    end = run_end_from(ended.text());
    if (!end) ended.fail("isn't how a run ends");
  }
  Recorder recorder(store, details_of(run), [] { return Moment{}; });
  add_frames(recorder, run.at("frames"));
  add_readings(recorder, run.at("readings"));
  const std::int64_t id = recorder.finish(end.value_or(RunEnd::asked), lost);
  Statement(database, "UPDATE run SET uuid = ?, started = ?, finished = ?, ended = ? WHERE id = ?")
      .bind(uuid, started, std::int64_t{finished}, end ? std::string(name_of(*end)) : std::string(), id)
      .run();
  return id;
}

/// A stream over bytes that stay where they are.
class BytesIn : public std::streambuf {
 public:
  explicit BytesIn(std::string_view bytes) {
    char* const begin = const_cast<char*>(bytes.data());  // only read
    setg(begin, begin, begin + bytes.size());
  }
};

}  // namespace

Store::Added add_run_file(Store& into, std::string_view bytes, const std::string& where) {
  BytesIn buffer(bytes);
  std::istream in(&buffer);
  return into.add_runs(in, where);
}

Store::Added add_run_file(Store& into, const std::filesystem::path& file) {
  const auto problem = [&](const char* what) {
    return Error(Error::Code::unreadable, what, file.string(), "name a file of exported runs");
  };
  std::error_code failed;
  if (!std::filesystem::is_regular_file(file, failed)) throw problem("is not a regular file");
  std::ifstream in(file, std::ios::binary);
  if (!in) throw problem("cannot be read");
  return into.add_runs(in, file.string());
}

/// All in one transaction: whatever ends the program, there are all of them or none.
Store::Added Store::add_runs(std::istream& in, const std::string& where) {
  Database& database = state_->database;
  Transaction transaction(database);
  Copies copies(database);
  Added added;
  try {
    read_run_file(in, where, [&](const JsonNode& node, std::size_t place) {
      const Reader run(node, where, fmt::format("run {}:", place + 1));
      const Extent there = extent_of(run);
      const auto here = copies.find(run.at("uuid").text(), run.at("started").text(), there);
      if (here && !here->is_shorter) {
        ++added.already;
        return;
      }
      const std::int64_t made = add_run(*this, run, database);
      copies.add(made);
      if (here) {
        continue_run(database, "main", made, here->id);
        Statement(database, "DELETE FROM run WHERE id = ?").bind(made).run();
      }
      (here ? added.continued : added.runs).push_back(here ? here->id : made);
      if (!there.finished) added.unfinished.push_back(here ? here->id : made);
    });
  } catch (const std::bad_alloc&) {
    throw Error(Error::Code::unreadable, "takes more memory than there is", where);
  }
  transaction.commit();
  return added;
}

}  // namespace idlemeter
