#version 450
layout(push_constant) uniform Place {
  vec4 place;   // left, top, width and height in the window's coordinates from -1 to 1
  ivec2 origin; // pixel of the left top corner
  int encoding;
};
void main() {
  vec2 corner = vec2(gl_VertexIndex & 1, gl_VertexIndex >> 1);
  gl_Position = vec4(place.xy + corner * place.zw, 0.0, 1.0);
}
