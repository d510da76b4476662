// A hue for each kind of device. Kinds that stand side by side on a face differ in lightness or along blue to yellow,
// the axis that people who see few colours keep.
#include <algorithm>
#include <span>

#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {
namespace {

struct Hue {
  DeviceKind kind;
  Color color;
};

constexpr Color kShoreElse{214, 220, 228, 255}, kBeaconElse{255, 255, 255, 255};
constexpr Hue kShore[] = {{DeviceKind::processor, {117, 192, 237, 255}}, {DeviceKind::graphics, {255, 166, 66, 255}},
                          {DeviceKind::memory, {176, 140, 255, 255}},    {DeviceKind::disk, {177, 255, 197, 255}},
                          {DeviceKind::network, {250, 112, 164, 255}},   {DeviceKind::battery, {255, 218, 137, 255}},
                          {DeviceKind::board, {178, 190, 208, 255}},     {DeviceKind::frames, {240, 244, 250, 255}}};
constexpr Hue kBeacon[] = {{DeviceKind::processor, {62, 167, 233, 255}}, {DeviceKind::graphics, {198, 122, 12, 255}},
                           {DeviceKind::memory, {134, 103, 255, 255}},   {DeviceKind::disk, {13, 255, 133, 255}},
                           {DeviceKind::network, {255, 82, 140, 255}},   {DeviceKind::battery, {255, 212, 38, 255}},
                           {DeviceKind::board, {164, 184, 216, 255}}};

Color color_in(std::span<const Hue> hues, DeviceKind kind, Color otherwise) {
  const auto found = std::find_if(hues.begin(), hues.end(), [kind](const Hue& hue) { return hue.kind == kind; });
  return found == hues.end() ? otherwise : found->color;
}

}  // namespace

Color device_color(const Face& face, DeviceKind kind) {
  if (const auto own = face.colors.find(kind); own != face.colors.end()) return own->second;
  if (face.palette == Palette::chalk) return face.text.color;
  return face.palette == Palette::beacon ? color_in(kBeacon, kind, kBeaconElse) : color_in(kShore, kind, kShoreElse);
}

}  // namespace idlemeter
