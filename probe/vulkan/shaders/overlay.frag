#version 450
layout(push_constant) uniform Place {
  vec4 place;
  ivec2 origin;
  int encoding;  // of the window's images: see Encoding in device.hpp
};
layout(set = 0, binding = 0) uniform sampler2D overlay;
layout(location = 0) out vec4 pixel;

// cd/m2 of white: ITU-R BT.2408, the reference level of graphics; of scRGB's 1 (IEC 61966-2-2); of ST 2084's 1.
const float kWhite = 203.0, kScrgbUnit = 80.0, kPqUnit = 10000.0;

// ITU-R BT.2087, linear BT.709 to BT.2020; columns.
const mat3 kTo2020 = mat3(0.6274, 0.0691, 0.0164, 0.3293, 0.9195, 0.0880, 0.0433, 0.0114, 0.8956);

// SMPTE ST 2084, the inverse EOTF.
vec3 to_pq(vec3 c) {
  vec3 power = pow(max(c, 0.0), vec3(0.1593017578125));
  return pow((0.8359375 + 18.8515625 * power) / (1.0 + 18.6875 * power), vec3(78.84375));
}

void main() {
  pixel = texelFetch(overlay, ivec2(gl_FragCoord.xy) - origin, 0);
  if (encoding == 0 || pixel.a == 0.0) return;
  vec3 c = min(pixel.rgb / pixel.a, 1.0);  // IEC 61966-2-1, the inverse transfer function
  c = mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), greaterThan(c, vec3(0.04045)));
  if (encoding == 2) c *= kWhite / kScrgbUnit;
  if (encoding == 3) c = to_pq(kTo2020 * c * (kWhite / kPqUnit));
  pixel.rgb = c * pixel.a;
}
