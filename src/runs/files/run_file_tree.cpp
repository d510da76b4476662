#include "runs/files/run_file_tree.hpp"

#include <fmt/format.h>

#include <limits>
#include <nlohmann/json.hpp>

#include "idlemeter/base/error.hpp"

namespace idlemeter::runs {
namespace {

using Json = nlohmann::json;

constexpr std::size_t kMostNesting = 8;        // a run file has six
constexpr std::size_t kMostParts = 2'000'000;  // of one run, numbers in arrays apart
constexpr double kMissing = std::numeric_limits<double>::quiet_NaN();

/// Adds an element to an array, which turns from whole numbers to numbers to anything as it must.
class Elements {
 public:
  explicit Elements(JsonNode& array) : value_(array.value) {}

  void add(std::nullptr_t) {
    if (auto* integers = std::get_if<JsonNode::Integers>(&value_)) {
      integers->values.push_back(JsonNode::Integers::kNull);
    } else if (auto* numbers = std::get_if<JsonNode::Numbers>(&value_)) {
      numbers->values.push_back(kMissing);
    } else {
      anything().emplace_back();
    }
  }

  void add(std::int64_t number) {
    auto* integers = std::get_if<JsonNode::Integers>(&value_);
    if (integers == nullptr || number == JsonNode::Integers::kNull) return add(static_cast<double>(number));
    integers->values.push_back(number);
  }

  void add(double number) {
    if (auto* integers = std::get_if<JsonNode::Integers>(&value_)) value_ = as_numbers(*integers);
    if (auto* numbers = std::get_if<JsonNode::Numbers>(&value_)) {
      numbers->values.push_back(number);
    } else {
      anything().push_back({number});
    }
  }

  JsonNode& add(JsonNode node) {
    anything().push_back(std::move(node));
    return anything().back();
  }

 private:
  static JsonNode::Numbers as_numbers(const JsonNode::Integers& integers) {
    JsonNode::Numbers numbers;
    for (const std::int64_t one : integers.values)
      numbers.values.push_back(one == JsonNode::Integers::kNull ? kMissing : static_cast<double>(one));
    return numbers;
  }

  JsonNode::Array& anything() {
    JsonNode::Array nodes;
    if (auto* integers = std::get_if<JsonNode::Integers>(&value_)) {
      for (const std::int64_t one : integers->values)
        nodes.push_back(one == JsonNode::Integers::kNull ? JsonNode{} : JsonNode{one});
      value_ = std::move(nodes);
    } else if (auto* numbers = std::get_if<JsonNode::Numbers>(&value_)) {
      for (const double one : numbers->values) nodes.push_back(one != one ? JsonNode{} : JsonNode{one});
      value_ = std::move(nodes);
    }
    return std::get<JsonNode::Array>(value_);
  }

  decltype(JsonNode::value)& value_;
};

/// nlohmann's events, put together run by run.
class Builder : public nlohmann::json_sax<Json> {
 public:
  Builder(const std::string& where, const TakeRun& take) : where_(where), take_(take) {}

  bool null() override { return add(nullptr); }
  bool boolean(bool value) override { return add(JsonNode{value}); }
  bool number_integer(number_integer_t value) override { return add(value); }
  bool number_unsigned(number_unsigned_t value) override {
    if (value > static_cast<number_unsigned_t>(INT64_MAX)) return add(static_cast<double>(value));
    return add(static_cast<std::int64_t>(value));
  }
  bool number_float(number_float_t value, const string_t&) override { return add(value); }
  bool string(string_t& value) override { return add(JsonNode{std::move(value)}); }
  bool binary(binary_t&) override { return false; }
  bool start_object(std::size_t) override { return begin({JsonNode::Object()}); }
  bool start_array(std::size_t) override {
    if (open_.size() == 1 && key_ == "runs") {
      expect_head();
      in_runs_ = true;
    }
    return begin({JsonNode::Integers()});
  }
  bool key(string_t& name) override {
    key_ = std::move(name);
    return true;
  }
  bool end_object() override { return end(); }
  bool end_array() override { return end(); }

  bool parse_error(std::size_t place, const std::string&, const nlohmann::detail::exception& error) override {
    throw Error(Error::Code::unreadable, fmt::format("isn't JSON at byte {} ({})", place, error.what()), where_,
                "it may not have been copied to its end");
  }

  /// Once all is read.
  void finish() const {
    if (!saw_runs_) fail("has no 'runs'");
  }

 private:
  [[noreturn]] void fail(const std::string& problem) const {
    throw Error(Error::Code::invalid, "the file " + problem, where_, "make such a file by exporting runs");
  }

  void expect_head() const {
    const JsonNode* const format = root_.find("format");
    const auto* const name = format == nullptr ? nullptr : std::get_if<std::string>(&format->value);
    if (name == nullptr || *name != "idle-meter-runs") fail("doesn't begin with the format idle-meter-runs");
    const JsonNode* const version = root_.find("version");
    const auto* const number = version == nullptr ? nullptr : std::get_if<std::int64_t>(&version->value);
    if (number == nullptr || *number < 1) fail("has no version before its runs");
    if (*number > kFileVersion)
      throw Error(Error::Code::newer, fmt::format("is of version {}, made by a newer Idle Meter", *number), where_,
                  "update this one");
  }

  /// Where the next value goes.
  template <typename Value>
  bool add(Value value) {
    if (open_.empty()) fail("must be an object");
    JsonNode& parent = *open_.back();
    if (auto* object = std::get_if<JsonNode::Object>(&parent.value)) {
      count_part();
      JsonNode& member = (*object)[key_] = JsonNode{};
      if constexpr (std::is_same_v<Value, JsonNode>) member = std::move(value);
      if constexpr (!std::is_same_v<Value, JsonNode> && !std::is_same_v<Value, std::nullptr_t>) member.value = value;
    } else {
      if constexpr (std::is_same_v<Value, JsonNode>) count_part();
      Elements(parent).add(std::move(value));
      if (std::holds_alternative<JsonNode::Array>(parent.value)) count_part();
    }
    return true;
  }

  void count_part() {
    if (++parts_ > kMostParts) fail(fmt::format("has a run of more than {} parts", kMostParts));
  }

  bool begin(JsonNode empty) {
    if (open_.size() >= kMostNesting) fail("nests deeper than a file of runs");
    count_part();
    if (open_.empty()) {
      if (!std::holds_alternative<JsonNode::Object>(empty.value)) fail("must be an object");
      root_ = std::move(empty);
      open_.push_back(&root_);
    } else if (auto* object = std::get_if<JsonNode::Object>(&open_.back()->value)) {
      open_.push_back(&((*object)[key_] = std::move(empty)));
    } else {
      open_.push_back(&Elements(*open_.back()).add(std::move(empty)));
    }
    return true;
  }

  bool end() {
    const JsonNode* const done = open_.back();
    open_.pop_back();
    if (in_runs_ && open_.size() == 2) {  // a run: the tree begins again
      take_(*done, runs_++);
      open_.back()->value = JsonNode::Array();
      parts_ = 0;
    }
    if (in_runs_ && open_.size() == 1) {
      in_runs_ = false;
      saw_runs_ = true;
    }
    return true;
  }

  const std::string& where_;
  const TakeRun& take_;
  JsonNode root_;
  std::vector<JsonNode*> open_;  // each is the last child of the one before, so that none moves
  std::string key_;
  std::size_t parts_ = 0, runs_ = 0;
  bool in_runs_ = false, saw_runs_ = false;
};

}  // namespace

const JsonNode* JsonNode::find(const std::string& name) const {
  const auto* const object = std::get_if<Object>(&value);
  if (object == nullptr) return nullptr;
  const auto found = object->find(name);
  return found == object->end() ? nullptr : &found->second;
}

void read_run_file(std::istream& in, const std::string& where, const TakeRun& take) {
  Builder builder(where, take);
  Json::sax_parse(in, &builder);
  builder.finish();
}

}  // namespace idlemeter::runs
