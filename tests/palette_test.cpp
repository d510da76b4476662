// The colours of faces.
#include <algorithm>
#include <array>
#include <cmath>

#include "laid_out.hpp"

namespace idlemeter {
namespace {

using namespace testing;

struct Lab {
  double l, a, b;
};

using Matrix = std::array<std::array<double, 3>, 3>;

/// CIE L*a*b* (1976, D65) of a colour as seen with the colour blindness of this matrix (Machado et al. 2009, on linear
/// light).
Lab seen(Color color, const Matrix& eyes) {
  const auto linear = [](std::uint8_t c) { return std::pow(c / 255.0, 2.2); };
  const std::array light = {linear(color.red), linear(color.green), linear(color.blue)};
  std::array<double, 3> s{};
  for (std::size_t i = 0; i < 3; ++i)
    s[i] = std::clamp(eyes[i][0] * light[0] + eyes[i][1] * light[1] + eyes[i][2] * light[2], 0.0, 1.0);
  const auto f = [](double t) { return t > 0.008856 ? std::cbrt(t) : 7.787 * t + 16.0 / 116; };
  const double x = f((0.4124 * s[0] + 0.3576 * s[1] + 0.1805 * s[2]) / 0.9505),
               y = f(0.2126 * s[0] + 0.7152 * s[1] + 0.0722 * s[2]),
               z = f((0.0193 * s[0] + 0.1192 * s[1] + 0.9505 * s[2]) / 1.089);
  return {116 * y - 16, 500 * (x - y), 200 * (y - z)};
}

TEST(Palette, KindsStayApartForColourBlindEyes) {
  constexpr Matrix kEyes[] = {
      {{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}},
      {{{0.152286, 1.052583, -0.204868}, {0.114503, 0.786281, 0.099216}, {-0.003882, -0.048116, 1.051998}}},
      {{{0.367322, 0.860646, -0.227968}, {0.280085, 0.672501, 0.047413}, {-0.011820, 0.042940, 0.968881}}},
      {{{1.255528, -0.076749, -0.178779}, {-0.078411, 0.930809, 0.147602}, {0.004733, 0.691367, 0.303900}}}};
  constexpr DeviceKind kKinds[] = {DeviceKind::processor, DeviceKind::graphics, DeviceKind::memory, DeviceKind::disk,
                                   DeviceKind::network,   DeviceKind::battery,  DeviceKind::frames};
  for (Palette palette : {Palette::shore, Palette::beacon}) {
    Face face;
    face.palette = palette;
    for (const Matrix& eyes : kEyes) {
      for (DeviceKind a : kKinds) {
        for (DeviceKind b : kKinds) {
          if (a == b) continue;
          const Lab one = seen(device_color(face, a), eyes), other = seen(device_color(face, b), eyes);
          const double apart = std::hypot(one.l - other.l, one.a - other.a, one.b - other.b);
          EXPECT_GT(apart, 20) << name_of(a) << " " << name_of(b);
        }
      }
    }
  }
}

TEST(Palette, AFaceMayChooseAndChange) {
  const Face face =
      *parse_face("palette = \"chalk\"\ntext = { color = \"device\" }\ncolors = { graphics = \"#010203\" }\n[[row]]\n")
           .face;
  EXPECT_EQ(device_color(face, DeviceKind::graphics), (Color{1, 2, 3, 255}));
  EXPECT_EQ(device_color(face, DeviceKind::memory), face.text.color);
  const auto shown = texts(scene_of(
      std::string("palette = \"beacon\"\ntext = { size = 20, color = \"device\" }\n") + (kFace + 21), values(9)));
  Face beacon;
  beacon.palette = Palette::beacon;
  EXPECT_EQ(shown[1].color, device_color(beacon, DeviceKind::graphics));
  EXPECT_EQ(shown[6].color, device_color(beacon, DeviceKind::memory));
}

}  // namespace
}  // namespace idlemeter
