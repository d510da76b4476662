// Replacements for the game's calls, by every route it may find them: linked, dlsym, or a GetProcAddress. Nothing here
// throws; what isn't understood is passed on.
#include <EGL/egl.h>
#include <EGL/eglext.h>
#include <GL/glx.h>

#include "gl/probe.hpp"
#include "gl/real.hpp"

#define IDLEMETER_EXPORT extern "C" __attribute__((visibility("default")))

namespace idlemeter::probe {
namespace {

struct Glx {
  GLXContext (*context)() = reinterpret_cast<GLXContext (*)()>(find_by_glx("glXGetCurrentContext"));
  GLXDrawable (*drawable)() = reinterpret_cast<GLXDrawable (*)()>(find_by_glx("glXGetCurrentDrawable"));
  void (*query)(Display*, GLXDrawable, int, unsigned*) =
      reinterpret_cast<void (*)(Display*, GLXDrawable, int, unsigned*)>(find_by_glx("glXQueryDrawable"));
};

const Glx& glx() {
  static const Glx calls;
  return calls;
}

void before_glx(Display* display, GLXDrawable drawable) {
  void* const context = glx().drawable() == drawable ? glx().context() : nullptr;
  Probe::one().before_swap({context, drawable, &find_by_glx}, [&](int& width, int& height) {
    unsigned w = 0, h = 0;
    glx().query(display, drawable, GLX_WIDTH, &w);
    glx().query(display, drawable, GLX_HEIGHT, &h);
    width = static_cast<int>(w);
    height = static_cast<int>(h);
  });
}

void after_glx() { Probe::one().after_swap(glx().context()); }

struct Egl {
  EGLContext (*context)() = reinterpret_cast<EGLContext (*)()>(find_by_egl("eglGetCurrentContext"));
  EGLSurface (*surface)(EGLint) = reinterpret_cast<EGLSurface (*)(EGLint)>(find_by_egl("eglGetCurrentSurface"));
  EGLBoolean (*query)(EGLDisplay, EGLSurface, EGLint, EGLint*) =
      reinterpret_cast<EGLBoolean (*)(EGLDisplay, EGLSurface, EGLint, EGLint*)>(find_by_egl("eglQuerySurface"));
};

const Egl& egl() {
  static const Egl calls;
  return calls;
}

/// True if the overlay is presented too.
bool before_egl(EGLDisplay display, EGLSurface surface) {
  void* const context = egl().surface(EGL_DRAW) == surface ? egl().context() : nullptr;
  const Swap swap{context, reinterpret_cast<std::uintptr_t>(surface), &find_by_egl};
  return Probe::one().before_swap(swap, [&](int& width, int& height) {
    egl().query(display, surface, EGL_WIDTH, &width);
    egl().query(display, surface, EGL_HEIGHT, &height);
  });
}

void after_egl() { Probe::one().after_swap(egl().context()); }

/// The overlay may lie outside the area that the game says has changed; then the whole window is presented.
EGLBoolean swap_with_damage(Call call, EGLDisplay display, EGLSurface surface, const EGLint* rectangles, EGLint count) {
  const bool whole = before_egl(display, surface);
  const auto swap = real_as<EGLBoolean (*)(EGLDisplay, EGLSurface, const EGLint*, EGLint)>(call);
  const EGLBoolean done = swap(display, surface, whole ? nullptr : rectangles, whole ? 0 : count);
  after_egl();
  return done;
}

/// Makes a context as the game asked, and forgets an older one at the same address.
template <typename Context, typename... Arguments>
Context create(Call call, Arguments... arguments) {
  const Context made = real_as<Context (*)(Arguments...)>(call)(arguments...);
  if (made != nullptr) Probe::one().forget(made);
  return made;
}

}  // namespace
}  // namespace idlemeter::probe

using idlemeter::probe::Call;
using idlemeter::probe::ours_for;
using idlemeter::probe::Procedure;
using idlemeter::probe::real_as;

// Swaps.

IDLEMETER_EXPORT void glXSwapBuffers(Display* display, GLXDrawable drawable) {
  idlemeter::probe::before_glx(display, drawable);
  real_as<void (*)(Display*, GLXDrawable)>(Call::glx_swap_buffers)(display, drawable);
  idlemeter::probe::after_glx();
}

IDLEMETER_EXPORT int64_t glXSwapBuffersMscOML(Display* display, GLXDrawable drawable, int64_t target, int64_t divisor,
                                              int64_t remainder) {
  idlemeter::probe::before_glx(display, drawable);
  const auto swap = real_as<int64_t (*)(Display*, GLXDrawable, int64_t, int64_t, int64_t)>(Call::glx_swap_buffers_msc);
  const int64_t count = swap(display, drawable, target, divisor, remainder);
  idlemeter::probe::after_glx();
  return count;
}

IDLEMETER_EXPORT EGLBoolean eglSwapBuffers(EGLDisplay display, EGLSurface surface) {
  idlemeter::probe::before_egl(display, surface);
  const EGLBoolean done = real_as<EGLBoolean (*)(EGLDisplay, EGLSurface)>(Call::egl_swap_buffers)(display, surface);
  idlemeter::probe::after_egl();
  return done;
}

IDLEMETER_EXPORT EGLBoolean eglSwapBuffersWithDamageEXT(EGLDisplay display, EGLSurface surface,
                                                        const EGLint* rectangles, EGLint count) {
  return idlemeter::probe::swap_with_damage(Call::egl_swap_buffers_with_damage_ext, display, surface, rectangles,
                                            count);
}

IDLEMETER_EXPORT EGLBoolean eglSwapBuffersWithDamageKHR(EGLDisplay display, EGLSurface surface,
                                                        const EGLint* rectangles, EGLint count) {
  return idlemeter::probe::swap_with_damage(Call::egl_swap_buffers_with_damage_khr, display, surface, rectangles,
                                            count);
}

// Contexts that begin.

IDLEMETER_EXPORT GLXContext glXCreateContext(Display* display, XVisualInfo* visual, GLXContext share, Bool direct) {
  return idlemeter::probe::create<GLXContext>(Call::glx_create_context, display, visual, share, direct);
}

IDLEMETER_EXPORT GLXContext glXCreateNewContext(Display* display, GLXFBConfig config, int type, GLXContext share,
                                                Bool direct) {
  return idlemeter::probe::create<GLXContext>(Call::glx_create_new_context, display, config, type, share, direct);
}

IDLEMETER_EXPORT GLXContext glXCreateContextAttribsARB(Display* display, GLXFBConfig config, GLXContext share,
                                                       Bool direct, const int* attributes) {
  return idlemeter::probe::create<GLXContext>(Call::glx_create_context_attribs, display, config, share, direct,
                                              attributes);
}

IDLEMETER_EXPORT EGLContext eglCreateContext(EGLDisplay display, EGLConfig config, EGLContext share,
                                             const EGLint* attributes) {
  return idlemeter::probe::create<EGLContext>(Call::egl_create_context, display, config, share, attributes);
}

// Look-ups.

IDLEMETER_EXPORT void (*glXGetProcAddressARB(const GLubyte* name))() {
  const auto get = real_as<Procedure (*)(const GLubyte*)>(Call::glx_get_proc_address_arb);
  return ours_for(reinterpret_cast<const char*>(name), get == nullptr ? nullptr : get(name));
}

IDLEMETER_EXPORT void (*glXGetProcAddress(const GLubyte* name))() {
  const auto get = real_as<Procedure (*)(const GLubyte*)>(Call::glx_get_proc_address);
  return ours_for(reinterpret_cast<const char*>(name), get == nullptr ? nullptr : get(name));
}

IDLEMETER_EXPORT void (*eglGetProcAddress(const char* name))() {
  const auto get = real_as<Procedure (*)(const char*)>(Call::egl_get_proc_address);
  return ours_for(name, get == nullptr ? nullptr : get(name));
}
