#include "readings/formula.hpp"

#include <fmt/format.h>
#include <muParser.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <string_view>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"

namespace idlemeter::readings {
namespace {

/// What an id is made of: "frame.low@0.1%@10s".
constexpr const char* kNameCharacters = "0123456789_.@%abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ";

}  // namespace

struct Formula::State {
  std::string text;
  std::vector<std::string> ids;
  std::deque<double> numbers;  // muParser keeps pointers into it
  mu::Parser parser;

  /// muParser asks here for a name that it doesn't know. A name with a dot is a reading.
  static double* variable(const char* name, void* self) {
    auto& state = *static_cast<State*>(self);
    const std::string_view word = name;
    if (word.find('.') == std::string_view::npos) state.throw_unknown(word);
    state.ids.emplace_back(word);
    return &state.numbers.emplace_back(1);
  }

  [[noreturn]] void throw_unknown(std::string_view word) const {
    std::vector<std::string_view> known;
    for (const auto& [function, about] : parser.GetFunDef()) known.push_back(function);
    throw Error(Error::Code::invalid,
                fmt::format("cannot read the formula '{}': '{}' is neither a reading nor a function{}", text, word,
                            did_you_mean(word, known)));
  }
};

Formula::Formula(const std::string& text) : state_(std::make_unique<State>()) {
  state_->text = text;
  try {
    state_->parser.DefineNameChars(kNameCharacters);
    state_->parser.SetVarFactory(&State::variable, state_.get());
    state_->parser.SetExpr(text);
    (void)state_->parser.Eval();
  } catch (const mu::Parser::exception_type& error) {
    throw Error(Error::Code::invalid, fmt::format("cannot read the formula '{}': {}", text, error.GetMsg()), "",
                "it takes ids of readings, numbers, + - * / ^ ( ) and functions like min, max, abs, sqrt");
  }
}

Formula::Formula(Formula&&) noexcept = default;
Formula::~Formula() = default;

const std::vector<std::string>& Formula::ids() const { return state_->ids; }

std::optional<double> Formula::value(const std::vector<double>& numbers) const {
  std::copy(numbers.begin(), numbers.end(), state_->numbers.begin());
  try {
    const double value = state_->parser.Eval();
    return std::isfinite(value) ? std::optional(value) : std::nullopt;
  } catch (const mu::Parser::exception_type&) {
    return std::nullopt;
  }
}

}  // namespace idlemeter::readings
