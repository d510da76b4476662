#include "idlemeter/face/face_text.hpp"

#include <algorithm>
#include <charconv>
#include <functional>

#include "face/format/read_cell.hpp"
#include "face/format/toml_text.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"

namespace idlemeter {
namespace {

using namespace face;

std::optional<std::size_t> number_from(std::string_view text) {
  std::size_t number = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
  const bool whole = error == std::errc{} && end == text.data() + text.size() && number > 0;
  return whole ? std::optional(number) : std::nullopt;
}

/// "row:2" -> 2
std::optional<std::size_t> number_after(std::string_view prefix, std::string_view text) {
  return text.starts_with(prefix) ? number_from(text.substr(prefix.size())) : std::nullopt;
}

std::string text_under(const toml::node& table, std::string_view key) {
  const toml::node* node = table.is_table() ? table.as_table()->get(key) : nullptr;
  return node == nullptr ? "" : node->value_or(std::string());
}

bool is_toml(std::string_view value) {
  if (value.find('\n') != std::string_view::npos) return false;
  Findings findings;
  return parse_toml("x = " + std::string(value), findings).has_value();
}

std::string cell_toml(std::string_view reading) { return fmt::format("{{ reading = {} }}", toml_string(reading)); }

const TomlPath kRows = {"row"}, kPins = {"pin"};

}  // namespace

struct FaceText::State {
  TomlText toml;
  std::string name;

  [[nodiscard]] std::size_t count(const TomlPath& array) const {
    const toml::node* node = toml.find(array);
    return node != nullptr && node->is_array() ? node->as_array()->size() : 0;
  }

  /// By label or number, from 0. Throws with the nearest.
  [[nodiscard]] std::size_t row(std::string_view part) const {
    const std::size_t rows = count(kRows);
    std::vector<std::string> labels;
    for (std::size_t i = 0; i < rows; ++i) {
      labels.push_back(text_under(*toml.find({"row", i}), "label"));
      if (labels.back() == part && !part.empty()) return i;
    }
    const auto number = number_after("row:", part);
    if (number && *number <= rows) return *number - 1;
    refuse_row(part, labels);
  }

  [[noreturn]] void refuse_row(std::string_view part, const std::vector<std::string>& labels) const {
    std::vector<std::string_view> known;
    for (const std::string& label : labels) {
      if (!label.empty()) known.push_back(label);
    }
    const std::string hint = did_you_mean(part, known);
    const std::string all = labels.empty() ? "; it has none" : fmt::format("; it has row:1 to row:{}", labels.size());
    throw Error(Error::Code::not_found, fmt::format("there is no row '{}'{}", part, hint.empty() ? all : hint), name);
  }

  [[nodiscard]] TomlPath cells(std::size_t row) const { return {"row", row, "cells"}; }

  [[nodiscard]] std::size_t cell(std::size_t row, std::string_view part) const {
    const std::size_t all = count(cells(row));
    std::vector<std::string> ids;
    for (std::size_t i = 0; i < all; ++i) {
      ids.push_back(text_under(*toml.find({"row", row, "cells", i}), "reading"));
      if (ids.back() == part) return i;
    }
    const auto number = number_from(part);
    if (number && *number <= all) return *number - 1;
    const std::string hint = did_you_mean(part, std::vector<std::string_view>(ids.begin(), ids.end()));
    throw Error(
        Error::Code::not_found,
        fmt::format("there is no cell '{}' in that row{}", part, hint.empty() ? fmt::format("; it has {}", all) : hint),
        name);
  }

  [[nodiscard]] std::size_t pin(std::size_t number) const {
    if (number <= count(kPins)) return number - 1;
    throw Error(Error::Code::not_found, fmt::format("there is no pin {}", number), name,
                fmt::format("it has {} pins", count(kPins)));
  }

  [[nodiscard]] bool is_row(std::string_view part) const {
    for (std::size_t i = 0; i < count(kRows); ++i) {
      if (text_under(*toml.find({"row", i}), "label") == part) return true;
    }
    return false;
  }

  /// Where a part is in the file.
  [[nodiscard]] TomlPath path(std::string_view part) const {
    if (is_row(part)) return {"row", row(part)};
    if (part == "face" || part.empty()) return {};
    if (const auto number = number_after("pin:", part)) return {"pin", pin(*number)};
    const std::size_t slash = part.rfind('/');
    if (slash == std::string_view::npos) return {"row", row(part)};
    const std::size_t in = row(part.substr(0, slash));
    return {"row", in, "cells", cell(in, part.substr(slash + 1))};
  }

  /// Makes the change, unless it adds a mistake. Those that the face had before are another matter.
  void change(const std::function<void(TomlText&)>& how) {
    const Findings before = parse_face(toml.text()).findings;
    TomlText changed = toml.copy();
    how(changed);
    const Findings added = added_findings(before, parse_face(changed.text()).findings);
    if (!added.empty()) throw_findings(added, name);
    toml = std::move(changed);
  }
};

FaceText::FaceText(std::string toml, const std::string& name)
    : state_(std::make_unique<State>(State{TomlText(std::move(toml), name), name})) {}
FaceText::FaceText(FaceText&&) noexcept = default;
FaceText& FaceText::operator=(FaceText&&) noexcept = default;
FaceText::~FaceText() = default;

const std::string& FaceText::toml() const { return state_->toml.text(); }

namespace {

/// Sets "back.opacity" in the table `back`, which is created if it doesn't exist.
void set_key(TomlText& toml, const TomlPath& table, std::string_view key, const std::string& value) {
  const std::size_t dot = key.find('.');
  const std::string first(key.substr(0, dot));
  if (dot == std::string_view::npos) return toml.set(table, first, value);
  TomlPath inner = table;
  inner.emplace_back(first);
  if (toml.find(inner) != nullptr) return set_key(toml, inner, key.substr(dot + 1), value);
  toml.set(table, first, fmt::format("{{ {} = {} }}", toml_key(key.substr(dot + 1)), value));
}

/// Of a cell that is now shown as `as`.
void unset_keys_of_others(TomlText& toml, const TomlPath& cell, std::string_view as) {
  for (const std::string& key : keys_of_others(as)) {
    TomlPath path = cell;
    path.emplace_back(key);
    if (toml.find(path) != nullptr) toml.unset(cell, key);
  }
}

}  // namespace

void FaceText::set(std::string_view part, std::string_view key, std::string_view value) {
  const TomlPath path = state_->path(part);
  // Keys that are looked for in the face itself, and are in one of its tables.
  constexpr std::pair<std::string_view, const char*> kInTables[] = {
      {"opacity", "back.opacity"}, {"size", "text.size"}, {"font", "text.font"}, {"edge", "text.edge"},
      {"anchor", "place.anchor"},  {"dx", "place.dx"},    {"dy", "place.dy"},    {"color", "text.color or back.color"}};
  for (const auto& [name, whole] : kInTables) {
    if (path.empty() && key == name)
      throw Error(Error::Code::invalid, fmt::format("a face has no key '{}'", key), state_->name,
                  fmt::format("write {}", whole));
  }
  const auto with = [&](const std::string& literal) {
    state_->change([&](TomlText& toml) {
      set_key(toml, path, key, literal);
      if (key == "as") unset_keys_of_others(toml, path, value);
    });
  };
  const std::string text = toml_string(value);
  if (!is_toml(value)) return with(text);
  try {
    with(std::string(value));
  } catch (const Error& as_it_is) {
    try {
      with(text);
    } catch (const Error&) {
      throw as_it_is;
    }
  }
}

void FaceText::unset(std::string_view part, std::string_view key) {
  TomlPath path = state_->path(part);
  for (std::size_t dot; (dot = key.find('.')) != std::string_view::npos; key.remove_prefix(dot + 1))
    path.emplace_back(std::string(key.substr(0, dot)));
  state_->change([&](TomlText& toml) { toml.unset(path, std::string(key)); });
}

void FaceText::add_row(std::string_view label, const std::vector<std::string>& readings,
                       std::optional<std::size_t> before) {
  std::string text = "[[row]]\n";
  if (!label.empty()) text += fmt::format("label = {}\n", toml_string(label));
  std::string cells;
  for (const std::string& reading : readings) cells += (cells.empty() ? " " : ", ") + cell_toml(reading);
  text += fmt::format("cells = [{} ]", cells);
  const toml::node* first = state_->toml.find(TomlPath{"row", std::size_t{0}});
  if (first != nullptr && first->is_table() && first->as_table()->is_inline())
    text = fmt::format("{{ label = {}, cells = [{} ] }}", toml_string(label), cells);
  state_->change([&](TomlText& toml) { toml.insert(kRows, before ? *before - 1 : state_->count(kRows), text); });
}

void FaceText::add_cell(std::string_view row, std::string_view reading, std::optional<std::size_t> before) {
  const std::size_t in = state_->row(row), place = before ? *before - 1 : state_->count(state_->cells(in));
  state_->change([&](TomlText& toml) {
    if (toml.find(state_->cells(in)) == nullptr)
      return toml.set({"row", in}, "cells", "[ " + cell_toml(reading) + " ]");
    toml.insert(state_->cells(in), place, cell_toml(reading));
  });
}

void FaceText::add_pin(double x, double y, std::string_view what, std::string_view value) {
  const std::string literal = what == "box" ? std::string(value) : toml_string(value);
  const std::string text = fmt::format("[[pin]]\nat = [{}, {}]\n{} = {}", x, y, toml_key(what), literal);
  state_->change([&](TomlText& toml) { toml.insert(kPins, state_->count(kPins), text); });
}

void FaceText::remove(std::string_view part) {
  TomlPath array = state_->path(part);
  if (array.empty())
    throw Error(Error::Code::invalid, "a face can't be removed from itself", state_->name, "remove the file");
  const std::size_t place = std::get<std::size_t>(array.back());
  array.pop_back();
  state_->change([&](TomlText& toml) { toml.remove(array, place); });
}

void FaceText::move(std::string_view part, std::string_view to) {
  TomlPath from = state_->path(part);
  if (from.empty())
    throw Error(Error::Code::invalid, "the face itself has no place in an order", state_->name, "set place.anchor");
  const std::size_t place = std::get<std::size_t>(from.back());
  from.pop_back();
  TomlPath into = from;
  std::optional<std::size_t> number = number_from(to);
  const bool cell = from.size() == 3;
  if (!number && !cell)
    throw Error(Error::Code::invalid, fmt::format("'{}' isn't a place for it", to), state_->name,
                "give its number from 1");
  if (!number) {
    const std::size_t slash = to.rfind('/');
    const bool whole = state_->is_row(to) || slash == std::string_view::npos;
    into = state_->cells(state_->row(whole ? to : to.substr(0, slash)));
    if (!whole) number = state_->cell(std::get<std::size_t>(into[1]), to.substr(slash + 1)) + 1;
  }
  state_->change([&](TomlText& toml) {
    const std::string text = toml.element(from, place);
    const bool empties = state_->count(from) == 1 && from == into;
    if (empties) return;
    toml.remove(from, place);
    const toml::node* target = toml.find(into);
    const std::size_t there = target == nullptr ? 0 : target->as_array()->size();
    const std::size_t at = number ? std::min(*number - 1, there) : there;
    if (target == nullptr) return toml.set({into[0], into[1]}, "cells", "[ " + text + " ]");
    toml.insert(into, at, text);
  });
}

std::string part_name(const Face& face, std::size_t row) {
  const std::string& label = face.rows[row].label;
  std::size_t same = 0;
  for (const Row& other : face.rows) same += other.label == label ? 1 : 0;
  return label.empty() || same > 1 ? fmt::format("row:{}", row + 1) : label;
}

}  // namespace idlemeter
