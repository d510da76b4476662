#version 450
layout(push_constant) uniform Place {
  vec4 place;
  ivec2 origin;
  int linear;
};
layout(set = 0, binding = 0) uniform sampler2D overlay;
layout(location = 0) out vec4 pixel;
void main() {
  pixel = texelFetch(overlay, ivec2(gl_FragCoord.xy) - origin, 0);
  if (linear == 0 || pixel.a == 0.0) return;
  vec3 c = min(pixel.rgb / pixel.a, 1.0);  // IEC 61966-2-1, the inverse transfer function
  c = mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), greaterThan(c, vec3(0.04045)));
  pixel.rgb = c * pixel.a;
}
