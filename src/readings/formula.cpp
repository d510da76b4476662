#include "readings/formula.hpp"

#include <fmt/format.h>
#include <muParser.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "idlemeter/error.hpp"
#include "readings/nearest.hpp"

namespace idlemeter {
namespace {

bool starts_word(char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0 || c == '_'; }
bool in_word(char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '.'; }

/// How long the word at the start of the text is: "frame.low@0.1%", "max", "gpu1.power".
std::size_t word_length(std::string_view text) {
  std::size_t end = 0;
  while (end < text.size() && in_word(text[end])) ++end;
  if (end == text.size() || text[end] != '@') return end;
  ++end;  // an argument: "@0.1%", "@shadow"
  while (end < text.size() && (in_word(text[end]) || text[end] == ',')) ++end;
  return end < text.size() && text[end] == '%' ? end + 1 : end;
}

}  // namespace

struct Formula::State {
  std::string text;
  std::vector<std::string> ids;
  std::vector<double> numbers;  // muParser keeps pointers into it
  mu::Parser parser;

  /// The text with each id, which muParser wouldn't take as a name, replaced: "gpu.power / 2" -> "v0 / 2".
  std::string with_plain_names() {
    std::string plain;
    for (std::size_t at = 0; at < text.size();) {
      if (!starts_word(text[at])) {
        const bool number = std::isdigit(static_cast<unsigned char>(text[at])) != 0;
        const std::size_t length = number ? std::max<std::size_t>(1, number_length(at)) : 1;
        plain += text.substr(at, length);
        at += length;
        continue;
      }
      const std::size_t length = word_length(std::string_view(text).substr(at));
      plain += plain_name(text.substr(at, length));
      at += length;
    }
    return plain;
  }

  /// So that the e of 1e3 starts no word.
  [[nodiscard]] std::size_t number_length(std::size_t at) const {
    std::size_t length = 0;
    try {
      (void)std::stod(text.substr(at), &length);
    } catch (const std::exception&) {
      return 1;
    }
    return length;
  }

  /// A word with a dot is a reading; any other has to be a function or a constant of muParser's. Throws Error if not.
  std::string plain_name(const std::string& word) {
    if (word.find('.') == std::string::npos) {
      if (parser.GetFunDef().contains(word) || parser.GetConst().contains(word)) return word;
      std::vector<std::string_view> known;
      for (const auto& [name, function] : parser.GetFunDef()) known.push_back(name);
      throw Error(fmt::format("cannot read the formula '{}': '{}' is neither a reading nor a function{}", text, word,
                              did_you_mean(word, known)));
    }
    auto known = std::find(ids.begin(), ids.end(), word);
    if (known == ids.end()) known = ids.insert(ids.end(), word);
    return fmt::format("v{}", known - ids.begin());
  }
};

Formula::Formula(const std::string& text) : state_(std::make_unique<State>()) {
  state_->text = text;
  const std::string plain = state_->with_plain_names();
  state_->numbers.resize(state_->ids.size(), 1);
  try {
    for (std::size_t i = 0; i < state_->ids.size(); ++i)
      state_->parser.DefineVar(fmt::format("v{}", i), &state_->numbers[i]);
    state_->parser.SetExpr(plain);
    (void)state_->parser.Eval();
  } catch (const mu::Parser::exception_type& error) {
    throw Error(fmt::format("cannot read the formula '{}': {}", text, error.GetMsg()), "",
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

}  // namespace idlemeter
