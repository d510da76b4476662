#version 450
layout(local_size_x = 64) in;
layout(push_constant) uniform Region {
  uvec2 size;     // of the region, in pixels
  uvec2 first;    // its first pixel in the picture
  uint row;       // of the picture, in pixels
  int swapped;    // blue comes first
  int linear;     // the image takes colours as linear light
};
layout(set = 0, binding = 0) readonly buffer Picture { uint picture[]; };
layout(set = 0, binding = 1) buffer Pixels { uint pixels[]; };

// IEC 61966-2-1, the transfer function and its inverse.
vec3 to_linear(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), greaterThan(c, vec3(0.04045))); }
vec3 from_linear(vec3 c) { return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, greaterThan(c, vec3(0.0031308))); }

void main() {
  uint at = gl_GlobalInvocationID.x;
  if (at >= size.x * size.y) return;
  vec4 over = unpackUnorm4x8(picture[(at / size.x + first.y) * row + at % size.x + first.x]);
  if (over.a == 0.0) return;
  vec4 under = unpackUnorm4x8(pixels[at]);
  if (swapped != 0) under = under.bgra;
  if (linear != 0) {
    over.rgb = to_linear(min(over.rgb / over.a, 1.0)) * over.a;
    under.rgb = to_linear(under.rgb);
  }
  vec4 mixed = over + under * (1.0 - over.a);
  if (linear != 0) mixed.rgb = from_linear(mixed.rgb);
  if (swapped != 0) mixed = mixed.bgra;
  pixels[at] = packUnorm4x8(mixed);
}
