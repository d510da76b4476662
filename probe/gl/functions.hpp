// The OpenGL and OpenGL ES calls that the probe makes, found through the game's own library.
#pragma once

#include <GL/gl.h>
#include <GL/glext.h>

#include "link/probe_end.hpp"

namespace idlemeter::probe {

using Find = void* (*)(const char* name);

// name, return type, parameters
#define IDLEMETER_GL(X)                                                                                \
  X(GetString, const GLubyte*, (GLenum))                                                               \
  X(GetIntegerv, void, (GLenum, GLint*))                                                               \
  X(GetBooleanv, void, (GLenum, GLboolean*))                                                           \
  X(IsEnabled, GLboolean, (GLenum))                                                                    \
  X(Enable, void, (GLenum))                                                                            \
  X(Disable, void, (GLenum))                                                                           \
  X(Viewport, void, (GLint, GLint, GLsizei, GLsizei))                                                  \
  X(BlendFuncSeparate, void, (GLenum, GLenum, GLenum, GLenum))                                         \
  X(BlendEquationSeparate, void, (GLenum, GLenum))                                                     \
  X(ColorMask, void, (GLboolean, GLboolean, GLboolean, GLboolean))                                     \
  X(PixelStorei, void, (GLenum, GLint))                                                                \
  X(GenTextures, void, (GLsizei, GLuint*))                                                             \
  X(BindTexture, void, (GLenum, GLuint))                                                               \
  X(TexParameteri, void, (GLenum, GLenum, GLint))                                                      \
  X(TexImage2D, void, (GLenum, GLint, GLint, GLsizei, GLsizei, GLint, GLenum, GLenum, const void*))    \
  X(TexSubImage2D, void, (GLenum, GLint, GLint, GLint, GLsizei, GLsizei, GLenum, GLenum, const void*)) \
  X(ActiveTexture, void, (GLenum))                                                                     \
  X(CreateShader, GLuint, (GLenum))                                                                    \
  X(ShaderSource, void, (GLuint, GLsizei, const GLchar* const*, const GLint*))                         \
  X(CompileShader, void, (GLuint))                                                                     \
  X(CreateProgram, GLuint, ())                                                                         \
  X(AttachShader, void, (GLuint, GLuint))                                                              \
  X(BindAttribLocation, void, (GLuint, GLuint, const GLchar*))                                         \
  X(LinkProgram, void, (GLuint))                                                                       \
  X(GetProgramiv, void, (GLuint, GLenum, GLint*))                                                      \
  X(DeleteShader, void, (GLuint))                                                                      \
  X(UseProgram, void, (GLuint))                                                                        \
  X(GetUniformLocation, GLint, (GLuint, const GLchar*))                                                \
  X(Uniform4f, void, (GLint, GLfloat, GLfloat, GLfloat, GLfloat))                                      \
  X(Uniform1i, void, (GLint, GLint))                                                                   \
  X(GenBuffers, void, (GLsizei, GLuint*))                                                              \
  X(BindBuffer, void, (GLenum, GLuint))                                                                \
  X(BufferData, void, (GLenum, GLsizeiptr, const void*, GLenum))                                       \
  X(EnableVertexAttribArray, void, (GLuint))                                                           \
  X(DisableVertexAttribArray, void, (GLuint))                                                          \
  X(VertexAttribPointer, void, (GLuint, GLint, GLenum, GLboolean, GLsizei, const void*))               \
  X(GetVertexAttribiv, void, (GLuint, GLenum, GLint*))                                                 \
  X(GetVertexAttribPointerv, void, (GLuint, GLenum, void**))                                           \
  X(BindFramebuffer, void, (GLenum, GLuint))                                                           \
  X(DrawArrays, void, (GLenum, GLint, GLsizei))                                                        \
  X(Flush, void, ())

// May be nullptr.
#define IDLEMETER_GL_OPTIONAL(X)                                            \
  X(GenVertexArrays, void, (GLsizei, GLuint*))                              \
  X(BindVertexArray, void, (GLuint))                                        \
  X(BindSampler, void, (GLuint, GLuint))                                    \
  X(IsEnabledi, GLboolean, (GLenum, GLuint))                                \
  X(Enablei, void, (GLenum, GLuint))                                        \
  X(Disablei, void, (GLenum, GLuint))                                       \
  X(ColorMaski, void, (GLuint, GLboolean, GLboolean, GLboolean, GLboolean)) \
  X(GetBooleani_v, void, (GLenum, GLuint, GLboolean*))                      \
  X(BlendFuncSeparatei, void, (GLuint, GLenum, GLenum, GLenum, GLenum))     \
  X(BlendEquationSeparatei, void, (GLuint, GLenum, GLenum))                 \
  X(ViewportIndexedf, void, (GLuint, GLfloat, GLfloat, GLfloat, GLfloat))   \
  X(GetFloati_v, void, (GLenum, GLuint, GLfloat*))                          \
  X(VertexAttribDivisor, void, (GLuint, GLuint))                            \
  X(PolygonMode, void, (GLenum, GLenum))                                    \
  X(DrawBuffer, void, (GLenum))                                             \
  X(PauseTransformFeedback, void, ())                                       \
  X(ResumeTransformFeedback, void, ())                                      \
  X(GenQueries, void, (GLsizei, GLuint*))                                   \
  X(QueryCounter, void, (GLuint, GLenum))                                   \
  X(GetQueryObjectuiv, void, (GLuint, GLenum, GLuint*))                     \
  X(GetQueryObjectui64v, void, (GLuint, GLenum, GLuint64*))                 \
  X(GetQueryiv, void, (GLenum, GLenum, GLint*))                             \
  X(GetInteger64v, void, (GLenum, GLint64*))

struct Gl {
#define IDLEMETER_MEMBER(name, type, parameters) type(*name) parameters = nullptr;
  IDLEMETER_GL(IDLEMETER_MEMBER)
  IDLEMETER_GL_OPTIONAL(IDLEMETER_MEMBER)
#undef IDLEMETER_MEMBER

  int version = 0;  ///< ten times the major and the minor one
  bool es = false, core = false;
  char driver[link::kDriverBytes] = "";  ///< the renderer and the version of its driver
  bool slow_clock = false;               ///< a software rasteriser, which has to finish its work to read the clock

  [[nodiscard]] link::Graphics graphics() const {
    const auto digits = static_cast<std::uint32_t>(version);
    return {es ? link::Api::opengl_es : link::Api::opengl, digits / 10, digits % 10, driver};
  }

  /// Finds the current context's calls; false if it lacks what drawing needs.
  bool load(Find find);

 private:
  void drop_what_the_version_lacks();
  void load_timers_of_es(Find find);
  void load_divisors(Find find);
};

/// "4.6 (Core Profile) Mesa 22" -> 46, "OpenGL ES 3.2 …" -> 32 and es.
int version_from(const char* text, bool& es);

}  // namespace idlemeter::probe
