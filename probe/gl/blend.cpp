#include "gl/blend.hpp"

#include <stdio.h>

#include <atomic>

#include "idlemeter/base/time.hpp"
#include "link/gpu_time.hpp"

namespace idlemeter::probe {
namespace {

constexpr GLenum kSrgbWrite = GL_FRAMEBUFFER_SRGB;  // the same number in EXT_sRGB_write_control

/// Saves all the state that drawing touches, and restores it at the end.
class Kept {
 public:
  explicit Kept(const Gl& gl, bool uploads) : gl_(gl), uploads_(uploads) {
    keep_bindings();
    keep_fixed();
    keep_output();
    if (uploads_) keep_unpacking();
  }
  Kept(const Kept&) = delete;
  Kept& operator=(const Kept&) = delete;

  ~Kept() {
    if (uploads_) restore_unpacking();
    restore_output();
    restore_fixed();
    restore_bindings();
  }

 private:
  [[nodiscard]] GLint integer(GLenum name) const {
    GLint value = 0;
    gl_.GetIntegerv(name, &value);
    return value;
  }

  [[nodiscard]] bool fills() const { return polygon_mode_[0] == GL_FILL && polygon_mode_[1] == GL_FILL; }
  [[nodiscard]] bool modern() const { return gl_.GenVertexArrays != nullptr; }

  void keep_bindings() {
    program_ = integer(GL_CURRENT_PROGRAM);
    unit_ = integer(GL_ACTIVE_TEXTURE);
    gl_.ActiveTexture(GL_TEXTURE0);
    texture_ = integer(GL_TEXTURE_BINDING_2D);
    if (gl_.BindSampler != nullptr) sampler_ = integer(GL_SAMPLER_BINDING);
    if (sampler_ != 0) gl_.BindSampler(0, 0);
    buffer_ = integer(GL_ARRAY_BUFFER_BINDING);
    framebuffer_ = integer(modern() ? GL_DRAW_FRAMEBUFFER_BINDING : GL_FRAMEBUFFER_BINDING);
    if (modern()) {
      vertices_ = integer(GL_VERTEX_ARRAY_BINDING);
    } else {
      keep_attribute();
    }
  }

  void restore_bindings() const {
    if (modern()) {
      gl_.BindVertexArray(static_cast<GLuint>(vertices_));
    } else {
      restore_attribute();
    }
    if (framebuffer_ != 0)
      gl_.BindFramebuffer(modern() ? GL_DRAW_FRAMEBUFFER : GL_FRAMEBUFFER, static_cast<GLuint>(framebuffer_));
    gl_.BindBuffer(GL_ARRAY_BUFFER, static_cast<GLuint>(buffer_));
    if (sampler_ != 0) gl_.BindSampler(0, static_cast<GLuint>(sampler_));
    gl_.BindTexture(GL_TEXTURE_2D, static_cast<GLuint>(texture_));
    gl_.ActiveTexture(static_cast<GLenum>(unit_));
    gl_.UseProgram(static_cast<GLuint>(program_));
  }

  /// Without vertex array objects attribute 0 is the game's.
  void keep_attribute() {
    gl_.GetVertexAttribiv(0, GL_VERTEX_ATTRIB_ARRAY_ENABLED, &attribute_.enabled);
    gl_.GetVertexAttribiv(0, GL_VERTEX_ATTRIB_ARRAY_SIZE, &attribute_.size);
    gl_.GetVertexAttribiv(0, GL_VERTEX_ATTRIB_ARRAY_TYPE, &attribute_.type);
    gl_.GetVertexAttribiv(0, GL_VERTEX_ATTRIB_ARRAY_NORMALIZED, &attribute_.normalized);
    gl_.GetVertexAttribiv(0, GL_VERTEX_ATTRIB_ARRAY_STRIDE, &attribute_.stride);
    gl_.GetVertexAttribiv(0, GL_VERTEX_ATTRIB_ARRAY_BUFFER_BINDING, &attribute_.buffer);
    gl_.GetVertexAttribPointerv(0, GL_VERTEX_ATTRIB_ARRAY_POINTER, &attribute_.pointer);
    if (gl_.VertexAttribDivisor == nullptr) return;
    gl_.GetVertexAttribiv(0, GL_VERTEX_ATTRIB_ARRAY_DIVISOR, &attribute_.divisor);
    if (attribute_.divisor != 0) gl_.VertexAttribDivisor(0, 0);
  }

  void restore_attribute() const {
    gl_.BindBuffer(GL_ARRAY_BUFFER, static_cast<GLuint>(attribute_.buffer));
    gl_.VertexAttribPointer(0, attribute_.size, static_cast<GLenum>(attribute_.type),
                            static_cast<GLboolean>(attribute_.normalized), attribute_.stride, attribute_.pointer);
    if (attribute_.enabled == 0) gl_.DisableVertexAttribArray(0);
    if (attribute_.divisor != 0) gl_.VertexAttribDivisor(0, static_cast<GLuint>(attribute_.divisor));
  }

  /// Switches that must be off while the overlay is drawn.
  void switch_off(GLenum name) {
    if (gl_.IsEnabled(name) == GL_FALSE) return;
    gl_.Disable(name);
    off_[off_count_++] = name;
  }

  /// From OpenGL 4.1 on there are several of both, and the overlay is drawn with the first alone.
  void keep_viewport() {
    if (gl_.ViewportIndexedf == nullptr) {
      gl_.GetIntegerv(GL_VIEWPORT, viewport_);
      return switch_off(GL_SCISSOR_TEST);
    }
    gl_.GetFloati_v(GL_VIEWPORT, 0, first_viewport_);
    cuts_ = gl_.IsEnabledi(GL_SCISSOR_TEST, 0) != GL_FALSE;
    if (cuts_) gl_.Disablei(GL_SCISSOR_TEST, 0);
  }

  void restore_viewport() const {
    if (gl_.ViewportIndexedf == nullptr) return gl_.Viewport(viewport_[0], viewport_[1], viewport_[2], viewport_[3]);
    const GLfloat(&v)[4] = first_viewport_;
    gl_.ViewportIndexedf(0, v[0], v[1], v[2], v[3]);
    if (cuts_) gl_.Enablei(GL_SCISSOR_TEST, 0);
  }

  void keep_fixed() {
    keep_viewport();
    for (GLenum name : {GL_DEPTH_TEST, GL_STENCIL_TEST, GL_CULL_FACE, GL_SAMPLE_ALPHA_TO_COVERAGE, GL_SAMPLE_COVERAGE})
      switch_off(name);
    const bool srgb_control = !gl_.es && gl_.version >= 30;
    if (srgb_control) switch_off(kSrgbWrite);
    if (modern()) switch_off(GL_RASTERIZER_DISCARD);
    if (!gl_.es) {
      switch_off(GL_COLOR_LOGIC_OP);
      if (!gl_.core) switch_off(GL_ALPHA_TEST);
      if (gl_.version >= 32) switch_off(GL_SAMPLE_MASK);
      const GLint clips = integer(GL_MAX_CLIP_DISTANCES);  // the number of GL_MAX_CLIP_PLANES, too
      for (GLenum i = 0; i < kClips && static_cast<GLint>(i) < clips; ++i) switch_off(GL_CLIP_DISTANCE0 + i);
      gl_.GetIntegerv(GL_POLYGON_MODE, polygon_mode_);
      if (gl_.core) polygon_mode_[1] = polygon_mode_[0];
      if (!fills()) gl_.PolygonMode(GL_FRONT_AND_BACK, GL_FILL);
    }
    if (gl_.PauseTransformFeedback == nullptr) return;
    feeding_back_ = integer(GL_TRANSFORM_FEEDBACK_ACTIVE) != 0 && integer(GL_TRANSFORM_FEEDBACK_PAUSED) == 0;
    if (feeding_back_) gl_.PauseTransformFeedback();
  }

  void restore_fixed() const {
    if (feeding_back_) gl_.ResumeTransformFeedback();
    if (gl_.es || fills()) {
      // as it was
    } else if (polygon_mode_[0] == polygon_mode_[1]) {
      gl_.PolygonMode(GL_FRONT_AND_BACK, static_cast<GLenum>(polygon_mode_[0]));
    } else {
      gl_.PolygonMode(GL_FRONT, static_cast<GLenum>(polygon_mode_[0]));
      gl_.PolygonMode(GL_BACK, static_cast<GLenum>(polygon_mode_[1]));
    }
    for (unsigned i = 0; i < off_count_; ++i) gl_.Enable(off_[i]);
    restore_viewport();
  }

  /// Of the first draw buffer alone, if OpenGL can.
  void keep_output() {
    blends_ = (gl_.IsEnabledi != nullptr ? gl_.IsEnabledi(GL_BLEND, 0) : gl_.IsEnabled(GL_BLEND)) != GL_FALSE;
    constexpr GLenum kFactors[] = {GL_BLEND_SRC_RGB,   GL_BLEND_DST_RGB,      GL_BLEND_SRC_ALPHA,
                                   GL_BLEND_DST_ALPHA, GL_BLEND_EQUATION_RGB, GL_BLEND_EQUATION_ALPHA};
    for (unsigned i = 0; i < 6; ++i) blend_[i] = static_cast<GLenum>(integer(kFactors[i]));
    if (gl_.ColorMaski != nullptr) {
      gl_.GetBooleani_v(GL_COLOR_WRITEMASK, 0, mask_);
    } else {
      gl_.GetBooleanv(GL_COLOR_WRITEMASK, mask_);
    }
    if (!is_over())
      set_output(true, {GL_ONE, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE_MINUS_SRC_ALPHA, GL_FUNC_ADD, GL_FUNC_ADD},
                 {GL_TRUE, GL_TRUE, GL_TRUE, GL_TRUE});
  }

  void restore_output() const {
    if (!is_over()) set_output(blends_, blend_, mask_);
  }

  /// Whether the game blends and masks as the overlay does.
  [[nodiscard]] bool is_over() const {
    return blends_ && blend_[0] == GL_ONE && blend_[1] == GL_ONE_MINUS_SRC_ALPHA && blend_[2] == GL_ONE &&
           blend_[3] == GL_ONE_MINUS_SRC_ALPHA && blend_[4] == GL_FUNC_ADD && blend_[5] == GL_FUNC_ADD &&
           mask_[0] != 0 && mask_[1] != 0 && mask_[2] != 0 && mask_[3] != 0;
  }

  void set_output(bool blends, const GLenum (&b)[6], const GLboolean (&m)[4]) const {
    if (gl_.IsEnabledi != nullptr) {
      blends ? gl_.Enablei(GL_BLEND, 0) : gl_.Disablei(GL_BLEND, 0);
    } else {
      blends ? gl_.Enable(GL_BLEND) : gl_.Disable(GL_BLEND);
    }
    if (gl_.BlendFuncSeparatei != nullptr) {
      gl_.BlendFuncSeparatei(0, b[0], b[1], b[2], b[3]);
      gl_.BlendEquationSeparatei(0, b[4], b[5]);
    } else {
      gl_.BlendFuncSeparate(b[0], b[1], b[2], b[3]);
      gl_.BlendEquationSeparate(b[4], b[5]);
    }
    if (gl_.ColorMaski != nullptr) {
      gl_.ColorMaski(0, m[0], m[1], m[2], m[3]);
    } else {
      gl_.ColorMask(m[0], m[1], m[2], m[3]);
    }
  }

  static constexpr GLenum kUnpack[] = {GL_UNPACK_ROW_LENGTH, GL_UNPACK_SKIP_ROWS, GL_UNPACK_SKIP_PIXELS,
                                       GL_UNPACK_IMAGE_HEIGHT, GL_UNPACK_SKIP_IMAGES};

  void keep_unpacking() {
    alignment_ = integer(GL_UNPACK_ALIGNMENT);
    gl_.PixelStorei(GL_UNPACK_ALIGNMENT, 4);
    if (!modern() && gl_.es) return;
    for (unsigned i = 0; i < 5; ++i) {
      unpack_[i] = integer(kUnpack[i]);
      gl_.PixelStorei(kUnpack[i], 0);
    }
    if (!gl_.es) {
      swap_bytes_ = integer(GL_UNPACK_SWAP_BYTES);
      gl_.PixelStorei(GL_UNPACK_SWAP_BYTES, 0);
    }
    if (gl_.es ? gl_.version < 30 : gl_.version < 21) return;
    unpack_buffer_ = integer(GL_PIXEL_UNPACK_BUFFER_BINDING);
    gl_.BindBuffer(GL_PIXEL_UNPACK_BUFFER, 0);
  }

  void restore_unpacking() const {
    gl_.PixelStorei(GL_UNPACK_ALIGNMENT, alignment_);
    if (!modern() && gl_.es) return;
    for (unsigned i = 0; i < 5; ++i) gl_.PixelStorei(kUnpack[i], unpack_[i]);
    if (!gl_.es) gl_.PixelStorei(GL_UNPACK_SWAP_BYTES, swap_bytes_);
    if (gl_.es ? gl_.version < 30 : gl_.version < 21) return;
    gl_.BindBuffer(GL_PIXEL_UNPACK_BUFFER, static_cast<GLuint>(unpack_buffer_));
  }

  static constexpr GLenum kClips = 8;

  const Gl& gl_;
  bool uploads_;
  GLint program_ = 0, unit_ = 0, texture_ = 0, sampler_ = 0, buffer_ = 0, framebuffer_ = 0, vertices_ = 0;
  struct {
    GLint enabled = 0, size = 4, type = GL_FLOAT, normalized = 0, stride = 0, buffer = 0, divisor = 0;
    void* pointer = nullptr;
  } attribute_;
  GLint viewport_[4] = {}, polygon_mode_[2] = {GL_FILL, GL_FILL};
  GLenum off_[16 + kClips] = {};
  unsigned off_count_ = 0;
  bool feeding_back_ = false, blends_ = false, cuts_ = false;
  GLfloat first_viewport_[4] = {};
  GLenum blend_[6] = {};
  GLboolean mask_[4] = {};
  GLint alignment_ = 4, unpack_[5] = {}, swap_bytes_ = 0, unpack_buffer_ = 0;
};

/// Draws to the back of the window itself.
class WindowOutput {
 public:
  explicit WindowOutput(const Gl& gl) : gl_(gl) {
    const bool modern = gl.GenVertexArrays != nullptr;
    GLint bound = 0;
    gl_.GetIntegerv(modern ? GL_DRAW_FRAMEBUFFER_BINDING : GL_FRAMEBUFFER_BINDING, &bound);
    if (bound != 0) gl_.BindFramebuffer(modern ? GL_DRAW_FRAMEBUFFER : GL_FRAMEBUFFER, 0);
    if (gl_.DrawBuffer == nullptr) return;
    gl_.GetIntegerv(GL_DRAW_BUFFER, &buffer_);
    if (buffer_ != GL_BACK && buffer_ != GL_BACK_LEFT) gl_.DrawBuffer(GL_BACK);
  }
  WindowOutput(const WindowOutput&) = delete;
  WindowOutput& operator=(const WindowOutput&) = delete;
  ~WindowOutput() {
    const bool changed = gl_.DrawBuffer != nullptr && buffer_ != GL_BACK && buffer_ != GL_BACK_LEFT;
    if (changed) gl_.DrawBuffer(static_cast<GLenum>(buffer_));
  }

 private:
  const Gl& gl_;
  GLint buffer_ = GL_BACK;
};

GLuint shader(const Gl& gl, GLenum kind, const char* head, const char* body) {
  const GLuint made = gl.CreateShader(kind);
  const char* parts[] = {head, body};
  gl.ShaderSource(made, 2, parts, nullptr);
  gl.CompileShader(made);
  return made;
}

/// What the shaders begin with, by the version of their language.
struct Dialect {
  const char* vertex;
  const char* pixel;
};
constexpr Dialect kOld = {"#version 110\n#define IN attribute\n#define OUT varying\n",
                          "#version 110\n#define IN varying\n#define PIXEL gl_FragColor\n#define LOOK texture2D\n"};
constexpr Dialect kNew = {"#version 150\n#define IN in\n#define OUT out\n",
                          "#version 150\n#define IN in\nout vec4 pixel;\n#define PIXEL pixel\n#define LOOK texture\n"};
constexpr Dialect kOldEs = {"#version 100\n#define IN attribute\n#define OUT varying\n",
                            "#version 100\nprecision mediump float;\n#define IN varying\n"
                            "#define PIXEL gl_FragColor\n#define LOOK texture2D\n"};
constexpr Dialect kNewEs = {"#version 300 es\n#define IN in\n#define OUT out\n",
                            "#version 300 es\nprecision mediump float;\n#define IN in\nout vec4 pixel;\n"
                            "#define PIXEL pixel\n#define LOOK texture\n"};

const Dialect& dialect_of(const Gl& gl) {
  if (gl.es) return gl.version < 30 ? kOldEs : kNewEs;
  return gl.version < 32 ? kOld : kNew;
}

/// Old engines bind numbers that they have never generated, small ones: the overlay's are far from those. A core
/// profile takes generated names alone.
void make_name(const Gl& gl, void (*generate)(GLsizei, GLuint*), GLuint& name) {
  static std::atomic<GLuint> last = 0x49'44'00'00;
  if (gl.core) {
    generate(1, &name);
  } else {
    name = ++last;
  }
}

}  // namespace

bool Blend::make_program(const Gl& gl) {
  const Dialect& dialect = dialect_of(gl);
  const GLuint vertex = shader(gl, GL_VERTEX_SHADER, dialect.vertex,
                               "IN vec2 corner;\nuniform vec4 place;\nOUT vec2 at;\nvoid main() {\n  at = corner;\n"
                               "  gl_Position = vec4(place.xy + corner * place.zw, 0.0, 1.0);\n}\n");
  const GLuint pixel =
      shader(gl, GL_FRAGMENT_SHADER, dialect.pixel,
             "IN vec2 at;\nuniform sampler2D overlay;\nvoid main() {\n  PIXEL = LOOK(overlay, at);\n}\n");
  program_ = gl.CreateProgram();
  gl.AttachShader(program_, vertex);
  gl.AttachShader(program_, pixel);
  gl.BindAttribLocation(program_, 0, "corner");
  gl.LinkProgram(program_);
  gl.DeleteShader(vertex);
  gl.DeleteShader(pixel);
  GLint linked = 0;
  gl.GetProgramiv(program_, GL_LINK_STATUS, &linked);
  place_ = gl.GetUniformLocation(program_, "place");
  return linked != 0;
}

/// Once in each context; keeps the game's state.
bool Blend::prepare(const Gl& gl) {
  if (!make_program(gl)) return false;
  gl.UseProgram(program_);
  gl.Uniform1i(gl.GetUniformLocation(program_, "overlay"), 0);
  make_name(gl, gl.GenBuffers, corners_);
  gl.BindBuffer(GL_ARRAY_BUFFER, corners_);
  constexpr GLfloat kCorners[] = {0, 0, 1, 0, 0, 1, 1, 1};
  gl.BufferData(GL_ARRAY_BUFFER, sizeof kCorners, kCorners, GL_STATIC_DRAW);
  if (gl.GenVertexArrays != nullptr) {
    gl.GenVertexArrays(1, &vertices_);
    gl.BindVertexArray(vertices_);
    gl.EnableVertexAttribArray(0);
    gl.VertexAttribPointer(0, 2, GL_FLOAT, GL_FALSE, 0, nullptr);
  }
  make_name(gl, gl.GenTextures, texture_);
  gl.BindTexture(GL_TEXTURE_2D, texture_);
  gl.TexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_NEAREST);
  gl.TexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_NEAREST);
  gl.TexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_S, GL_CLAMP_TO_EDGE);
  gl.TexParameteri(GL_TEXTURE_2D, GL_TEXTURE_WRAP_T, GL_CLAMP_TO_EDGE);
  return true;
}

/// A picture that the meter replaced meanwhile may be torn: the next frame has the new one.
void Blend::upload(const Gl& gl, const link::ProbeEnd& end, const link::Shown& shown) {
  const auto width = static_cast<GLsizei>(shown.slot.width), height = static_cast<GLsizei>(shown.slot.height);
  if (width_ == shown.slot.width && height_ == shown.slot.height) {
    gl.TexSubImage2D(GL_TEXTURE_2D, 0, 0, 0, width, height, GL_RGBA, GL_UNSIGNED_BYTE, shown.pixels);
  } else {
    gl.TexImage2D(GL_TEXTURE_2D, 0, GL_RGBA, width, height, 0, GL_RGBA, GL_UNSIGNED_BYTE, shown.pixels);
    width_ = shown.slot.width;
    height_ = shown.slot.height;
  }
  uploaded_ = end.still_whole(shown.id) ? shown.id : 0;
}

void Blend::draw(const Gl& gl, const link::ProbeEnd& end, const link::Shown& shown, int window_width,
                 int window_height) {
  if (failed_ || window_width <= 0 || window_height <= 0) return;
  const bool uploads = uploaded_ != shown.id;
  const Kept kept(gl, uploads);
  if (program_ == 0 && !prepare(gl)) {
    failed_ = true;
    return;
  }
  const WindowOutput output(gl);
  gl.BindTexture(GL_TEXTURE_2D, texture_);
  if (uploads) upload(gl, end, shown);
  gl.UseProgram(program_);
  const auto share = [](double pixels, int all) { return static_cast<GLfloat>(2 * pixels / all); };
  if (gl.ViewportIndexedf == nullptr) {
    gl.Viewport(0, 0, window_width, window_height);
  } else {
    gl.ViewportIndexedf(0, 0, 0, static_cast<GLfloat>(window_width), static_cast<GLfloat>(window_height));
  }
  gl.Uniform4f(place_, share(shown.slot.x, window_width) - 1, 1 - share(shown.slot.y, window_height),
               share(shown.slot.width, window_width), -share(shown.slot.height, window_height));
  if (gl.GenVertexArrays != nullptr) {
    gl.BindVertexArray(vertices_);
  } else {
    gl.BindBuffer(GL_ARRAY_BUFFER, corners_);
    gl.EnableVertexAttribArray(0);
    gl.VertexAttribPointer(0, 2, GL_FLOAT, GL_FALSE, 0, nullptr);
  }
  gl.DrawArrays(GL_TRIANGLE_STRIP, 0, 4);
}

}  // namespace idlemeter::probe
