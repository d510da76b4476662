#include "face/format/read_pin.hpp"

#include <cmath>
#include <tuple>

#include "face/format/face_words.hpp"
#include "face/format/place_holders.hpp"
#include "face/format/read_cell.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/text.hpp"

namespace idlemeter::face {
namespace {

void read_at(TableReader& table, Pin& pin) {
  const toml::node* at = table.find("at");
  const auto pair = pair_of(at);
  if (!pair)
    return table.report(at == nullptr ? table.table() : *at,
                        "a pin has 'at', two numbers in 1/1080 of the picture's height, like [40, 980]");
  std::tie(pin.x, pin.y) = *pair;
  const bool fits = std::abs(pin.x) <= kLargestLength && std::abs(pin.y) <= kLargestLength;
  if (!fits) table.report(*at, fmt::format("'at' is within {} of the picture's corner", kLargestLength));
}

TextPin read_text_pin(TableReader& table) {
  TextPin pin;
  std::string text, problem;
  table.read("text", text);
  table.read("size", pin.size);
  table.read_word("weight", pin.bold, kWeights);
  table.read("color", pin.color);
  read_span(table, pin.span);
  if (characters(text) > limits::kTextCharacters) {
    table.report(*table.find("text"),
                 fmt::format("a text of {} characters; up to {} are taken", characters(text), limits::kTextCharacters));
  } else if (auto pieces = text_pieces(text, problem)) {
    pin.text = std::move(*pieces);
  } else {
    table.report(*table.find("text"), problem);
  }
  return pin;
}

CellPin read_cell_pin(TableReader& table) {
  CellPin pin;
  table.read("size", pin.size);
  table.read_word("weight", pin.bold, kWeights);
  read_look(table, pin.cell);
  if (pin.cell.trace() != nullptr && pin.cell.trace()->with_text)
    table.report(*table.find("as"), "a pin shows one thing; make it two pins");
  return pin;
}

/// box = [300, 80]
BoxPin read_box_pin(TableReader& table) {
  BoxPin pin;
  const toml::node* box = table.find("box");
  std::tie(pin.width, pin.height) = pair_of(box).value_or(std::pair(0.0, 0.0));
  const bool fits = pin.width > 0 && pin.height > 0 && pin.width <= kLargestLength && pin.height <= kLargestLength;
  if (!fits) table.report(*box, fmt::format("'box' is its width and height, up to {}, like [300, 80]", kLargestLength));
  read_back(table, pin.look);
  return pin;
}

/// picture = "logo.png", width = 64, height = 64
PicturePin read_picture_pin(TableReader& table) {
  PicturePin pin;
  std::optional<double> width, height;
  read_file_name(table, "picture", pin.file);
  table.read("width", width);
  table.read("height", height);
  if (!width || !height)
    table.report(table.table(), "a picture has 'width' and 'height', in 1/1080 of the picture's height");
  pin.width = width.value_or(0);
  pin.height = height.value_or(0);
  return pin;
}

/// One of the four things that a pin can be, by the key that says which.
void read_what(TableReader& table, Pin& pin) {
  const auto has = [&](std::string_view key) { return table.table().contains(key); };
  const bool text = has("text"), reading = has("reading"), box = has("box"), picture = has("picture");
  if (text + reading + box + picture != 1) {
    table.report(table.table(), "a pin has one of 'text', 'reading', 'box' and 'picture'");
    for (const FileKey& key : face_keys()) {  // it isn't clear which of these it may have
      if (key.table == "pin" || key.table == "cell") (void)table.find(key.name);
    }
    return;
  }
  if (text) pin.what = read_text_pin(table);
  if (reading) pin.what = read_cell_pin(table);
  if (box) pin.what = read_box_pin(table);
  if (picture) pin.what = read_picture_pin(table);
}

}  // namespace

void read_back(TableReader& table, Back& back) {
  table.read("color", back.color);
  table.read("opacity", back.opacity);
  table.read("radius", back.radius);
}

Pin read_pin(TableReader& table) {
  Pin pin;
  pin.line = table.table().source().begin.line;
  read_at(table, pin);
  table.read_word("layer", pin.behind, kLayers);
  read_what(table, pin);
  return pin;
}

}  // namespace idlemeter::face
