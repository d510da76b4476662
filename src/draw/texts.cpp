#include "draw/texts.hpp"

#include <cairo.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/face/face.hpp"

namespace idlemeter::draw {
namespace {

constexpr int kLargestMaskSide = 16'384;

/// The part of a text's ink that is drawn: cut at the right and below if it is too large.
Mask mask_for(const PangoRectangle& ink, int baseline) {
  Mask mask;
  mask.left = std::clamp(ink.x - 1, -kLargestMaskSide, kLargestMaskSide);
  mask.top = std::clamp(ink.y - baseline - 1, -kLargestMaskSide, kLargestMaskSide);
  mask.height = std::clamp(ink.height + 2, 0, kLargestMaskSide / 4);
  const auto widest = static_cast<int>(limits::kTextPixels) / std::max(1, mask.height);
  mask.width = std::clamp(ink.width + 2, 0, std::min(widest, kLargestMaskSide));
  return mask;
}

TextExtent extent_of(PangoLayout* layout) {
  PangoRectangle logical;
  pango_layout_get_pixel_extents(layout, nullptr, &logical);
  const int baseline = PANGO_PIXELS(pango_layout_get_baseline(layout));
  return {static_cast<double>(logical.width), static_cast<double>(baseline),
          static_cast<double>(logical.height - baseline)};
}

/// Fills in how strongly the text covers its pixels; nothing if there is no memory for them.
void cover(Mask& mask, PangoLayout* layout, int baseline) {
  const std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> surface(
      cairo_image_surface_create(CAIRO_FORMAT_A8, mask.width, mask.height), &cairo_surface_destroy);
  cairo_t* cairo = cairo_create(surface.get());
  cairo_move_to(cairo, -mask.left, -mask.top - baseline);
  pango_cairo_show_layout(cairo, layout);
  cairo_destroy(cairo);
  cairo_surface_flush(surface.get());
  const unsigned char* data = cairo_image_surface_get_data(surface.get());
  if (data == nullptr) {
    mask = {};
    return;
  }
  mask.cover.reserve(mask.pixels());
  for (int y = 0; y < mask.height; ++y) {
    const unsigned char* row = data + static_cast<std::ptrdiff_t>(y) * cairo_image_surface_get_stride(surface.get());
    mask.cover.insert(mask.cover.end(), row, row + mask.width);
  }
}

bool is_plain(const std::string& text) {
  return text.size() <= limits::kTextCharacters &&
         std::all_of(text.begin(), text.end(), [](char c) { return c >= 0x20 && c < 0x7f; });
}

}  // namespace

Texts::Texts() : font_map_(pango_cairo_font_map_new()), context_(pango_font_map_create_context(font_map_.get())) {
  cairo_font_options_t* options = cairo_font_options_create();
  cairo_font_options_set_antialias(options, CAIRO_ANTIALIAS_GRAY);  // the ground is not known: no coloured fringes
  cairo_font_options_set_hint_style(options, CAIRO_HINT_STYLE_SLIGHT);
  pango_cairo_context_set_font_options(context_.get(), options);
  cairo_font_options_destroy(options);
  pango_cairo_context_set_resolution(context_.get(), 72);  // a point is a pixel
}

namespace {

void set_font(PangoLayout* layout, const TextStyle& style) {
  PangoFontDescription* font = pango_font_description_new();
  pango_font_description_set_family(font, style.font.c_str());
  pango_font_description_set_weight(font, style.bold ? PANGO_WEIGHT_BOLD : PANGO_WEIGHT_NORMAL);
  pango_font_description_set_absolute_size(font, style.size * PANGO_SCALE);
  pango_layout_set_font_description(layout, font);
  pango_font_description_free(font);
}

}  // namespace

GObject<PangoLayout> Texts::layout_of(const std::string& text, const TextStyle& style) const {
  GObject<PangoLayout> layout(pango_layout_new(context_.get()));
  set_font(layout.get(), style);
  PangoAttrList* const attributes = pango_attr_list_new();
  pango_attr_list_insert(attributes,
                         pango_attr_font_features_new("tnum=1"));  // digits of one width, so that values don't jitter
  pango_layout_set_attributes(layout.get(), attributes);
  pango_attr_list_unref(attributes);
  pango_layout_set_single_paragraph_mode(layout.get(), TRUE);
  pango_layout_set_text(layout.get(), text.c_str(), static_cast<int>(text.size()));
  return layout;
}

const KnownText& Texts::shaped(const TextShape& text) {
  auto& [key, known] = this->known(text.text, text.style);
  const std::size_t before = known.bytes();
  if (!known.shape) {
    const GObject<PangoLayout> layout = layout_of(key.first, key.second);
    PangoRectangle ink, logical;
    pango_layout_get_pixel_extents(layout.get(), &ink, &logical);
    const int baseline = PANGO_PIXELS(pango_layout_get_baseline(layout.get()));
    cover(known.shape.emplace(mask_for(ink, baseline)), layout.get(), baseline);
  }
  const int rim = std::max(1, static_cast<int>(std::lround(key.second.size / 18)));
  if (text.edge == Edge::shadow && !known.shadow) known.shadow = grown(*known.shape, rim, 1);
  if (text.edge == Edge::outline && !known.outline) known.outline = grown(*known.shape, rim + 1, 0);
  mask_bytes_ += known.bytes() - before;
  return known;
}

/// Text and style as they are drawn.
Texts::Known& Texts::known(const std::string& text, const TextStyle& style) {
  const bool fits = style.size >= 1 && style.size <= limits::kTextSize;
  if (fits && is_plain(text)) return known_shown(text, style);
  TextStyle bounded = style;
  bounded.size = fits ? style.size : style.size > limits::kTextSize ? limits::kTextSize : 1;
  return known_shown(cut_to(printable(text), limits::kTextCharacters), bounded);
}

Texts::Known& Texts::known_shown(const std::string& text, const TextStyle& style) {
  constexpr std::size_t kMost = 4096, kMostBytes = std::size_t{64} << 20;
  auto entry = texts_.find(Key(text, style));
  if (entry == texts_.end()) {
    if (texts_.size() >= kMost || mask_bytes_ > kMostBytes) forget_oldest();
    KnownText known;
    known.extent = extent_of(layout_of(text, style).get());
    entry = texts_.emplace(Key(text, style), std::move(known)).first;
  }
  entry->second.last_used = ++uses_;
  return *entry;
}

/// Keeps the half that was used last; rare enough for a walk through all.
void Texts::forget_oldest() {
  std::vector<std::uint64_t> used;
  for (const auto& [key, text] : texts_) used.push_back(text.last_used);
  const auto middle = used.begin() + static_cast<std::ptrdiff_t>(used.size() / 2);
  std::nth_element(used.begin(), middle, used.end());
  std::erase_if(texts_, [limit = *middle](const auto& entry) { return entry.second.last_used < limit; });
  mask_bytes_ = 0;
  for (const auto& [key, text] : texts_) mask_bytes_ += text.bytes();
}

}  // namespace idlemeter::draw
