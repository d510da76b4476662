// A hue for each kind of device. Kinds that stand side by side on a face differ in lightness or along blue to yellow,
// the axis that people who see few colours keep.
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {
namespace {

Color shore(DeviceKind kind) {
  switch (kind) {
    case DeviceKind::processor:
      return {117, 192, 237, 255};
    case DeviceKind::graphics:
      return {255, 166, 66, 255};
    case DeviceKind::memory:
      return {176, 140, 255, 255};
    case DeviceKind::disk:
      return {177, 255, 197, 255};
    case DeviceKind::network:
      return {250, 112, 164, 255};
    case DeviceKind::battery:
      return {255, 218, 137, 255};
    case DeviceKind::board:
      return {178, 190, 208, 255};
    case DeviceKind::frames:
      return {240, 244, 250, 255};
    default:
      return {214, 220, 228, 255};
  }
}

Color beacon(DeviceKind kind) {
  switch (kind) {
    case DeviceKind::processor:
      return {62, 167, 233, 255};
    case DeviceKind::graphics:
      return {198, 122, 12, 255};
    case DeviceKind::memory:
      return {134, 103, 255, 255};
    case DeviceKind::disk:
      return {13, 255, 133, 255};
    case DeviceKind::network:
      return {255, 82, 140, 255};
    case DeviceKind::battery:
      return {255, 212, 38, 255};
    case DeviceKind::board:
      return {164, 184, 216, 255};
    default:
      return {255, 255, 255, 255};
  }
}

}  // namespace

Color device_color(const Face& face, DeviceKind kind) {
  if (const auto own = face.colors.find(kind); own != face.colors.end()) return own->second;
  if (face.palette == Palette::chalk) return face.text.color;
  return face.palette == Palette::beacon ? beacon(kind) : shore(kind);
}

}  // namespace idlemeter
