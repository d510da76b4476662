// What takes the place of the game's swap calls, by every route that a game finds them: linked, dlsym, or one of the
// two GetProcAddress. Nothing here throws; what isn't understood is passed on.
#include <EGL/egl.h>
#include <EGL/eglext.h>
#include <GL/glx.h>
#include <dlfcn.h>
#include <pthread.h>
#include <string.h>

#include <atomic>
#include <map>
#include <mutex>

#include "gl/blend.hpp"
#include "link/probe_end.hpp"

#define IDLEMETER_EXPORT extern "C" __attribute__((visibility("default")))

namespace idlemeter::probe {
namespace {

using Procedure = void (*)();
using DlSym = void* (*)(void*, const char*);

/// The real dlsym, under the names that it has had.
DlSym real_dlsym() {
  static const DlSym found = [] {
    for (const char* version : {"GLIBC_2.34", "GLIBC_2.2.5", "GLIBC_2.17"}) {
      if (void* symbol = ::dlvsym(RTLD_NEXT, "dlsym", version)) return reinterpret_cast<DlSym>(symbol);
    }
    return static_cast<DlSym>(nullptr);
  }();
  return found;
}

/// A call that is replaced: `real` is what the game would have got.
struct Hook {
  const char* name;
  void* own;
  std::atomic<void*> real;
};

Hook* hook_of(const char* name);

/// The real call of a hook: what a look-up found, else the next library's.
void* real(const char* name) {
  Hook* hook = hook_of(name);
  void* found = hook->real.load(std::memory_order_relaxed);
  if (found == nullptr) {
    found = real_dlsym()(RTLD_NEXT, name);
    if (found == nullptr) {  // loaded by dlopen, out of the global scope
      for (const char* library : {"libGL.so.1", "libEGL.so.1", "libGLX.so.0"}) {
        void* handle = ::dlopen(library, RTLD_LAZY | RTLD_NOLOAD);
        if (handle != nullptr) found = real_dlsym()(handle, name);
        if (handle != nullptr) ::dlclose(handle);
        if (found != nullptr) break;
      }
    }
    hook->real.store(found, std::memory_order_relaxed);
  }
  return found;
}

template <typename F>
F real_as(const char* name) {
  return reinterpret_cast<F>(real(name));
}

void* find_by_glx(const char* name) {
  const auto get = real_as<Procedure (*)(const GLubyte*)>("glXGetProcAddressARB");
  return get == nullptr ? nullptr : reinterpret_cast<void*>(get(reinterpret_cast<const GLubyte*>(name)));
}

void* find_by_egl(const char* name) {
  const auto get = real_as<Procedure (*)(const char*)>("eglGetProcAddress");
  return get == nullptr ? nullptr : reinterpret_cast<void*>(get(name));
}

/// What the probe knows of one of the game's contexts.
struct Context {
  bool loaded = false, usable = false;
  Gl gl;
  Blend blend;
  GpuClock clock;
  int width = 0, height = 0;
  std::int64_t measured = 0;
  std::uintptr_t drawable = 0;
};

class Probe {
 public:
  /// Before the swap. `measure` tells the window's size, in pixels.
  template <typename Measure>
  void before_swap(void* handle, std::uintptr_t drawable, Find find, Measure measure) {
    const std::lock_guard<std::mutex> lock(mutex_);
    const std::int64_t now = link::now();
    Context* context = handle == nullptr ? nullptr : &contexts_[handle];
    if (context != nullptr && !context->loaded) {
      context->loaded = true;
      context->usable = context->gl.load(find);
    }
    const bool usable = context != nullptr && context->usable;
    std::int64_t gpu_work = -1;
    if (usable) {
      if (context->drawable != drawable || now - context->measured > 200'000'000) {
        context->drawable = drawable;
        context->measured = now;
        measure(context->width, context->height);
      }
      gpu_work = context->clock.end(context->gl);
    }
    stamp(context, now, gpu_work, drawable);
    const link::Shown shown = usable ? end_.picture() : link::Shown{};
    if (shown.pixels != nullptr) context->blend.draw(context->gl, end_, shown, context->width, context->height);
  }

  /// After it: the next frame's work begins.
  void after_swap(void* handle) {
    const std::lock_guard<std::mutex> lock(mutex_);
    const auto context = contexts_.find(handle);
    if (context != contexts_.end() && context->second.usable) context->second.clock.begin(context->second.gl);
  }

  /// A new context may have an old one's address.
  void forget(void* handle) {
    if (handle == nullptr) return;
    const std::lock_guard<std::mutex> lock(mutex_);
    contexts_.erase(handle);
  }

  void before_fork() { mutex_.lock(); }
  void after_fork() { mutex_.unlock(); }
  void in_child() {
    end_.forget();
    mutex_.unlock();
  }

 private:
  void stamp(const Context* context, std::int64_t now, std::int64_t gpu_work, std::uintptr_t drawable) {
    link::FrameEntry frame;
    frame.present = now;
    frame.gpu_work = gpu_work;
    frame.drawable = static_cast<std::uint32_t>(drawable ^ static_cast<std::uint64_t>(drawable) >> 32);
    if (context == nullptr) return end_.add(frame, link::Api::opengl, 0, 0);
    frame.width = static_cast<std::uint32_t>(context->width);
    frame.height = static_cast<std::uint32_t>(context->height);
    const int version = context->gl.version;
    end_.add(frame, context->gl.es ? link::Api::opengl_es : link::Api::opengl, static_cast<std::uint32_t>(version / 10),
             static_cast<std::uint32_t>(version % 10));
  }

  std::mutex mutex_;
  std::map<void*, Context> contexts_;
  link::ProbeEnd end_;
};

/// Never destroyed: a game may present while the process ends.
Probe& probe() {
  static Probe* const one = [] {
    auto* made = new Probe;
    ::pthread_atfork([] { probe().before_fork(); }, [] { probe().after_fork(); }, [] { probe().in_child(); });
    return made;
  }();
  return *one;
}

// GLX.

void before_glx(Display* display, GLXDrawable drawable) {
  static const auto current = reinterpret_cast<GLXContext (*)()>(find_by_glx("glXGetCurrentContext"));
  static const auto bound = reinterpret_cast<GLXDrawable (*)()>(find_by_glx("glXGetCurrentDrawable"));
  static const auto query =
      reinterpret_cast<void (*)(Display*, GLXDrawable, int, unsigned*)>(find_by_glx("glXQueryDrawable"));
  const bool own = current != nullptr && bound != nullptr && bound() == drawable;
  probe().before_swap(own ? current() : nullptr, drawable, &find_by_glx, [&](int& width, int& height) {
    unsigned w = 0, h = 0;
    if (query != nullptr) query(display, drawable, GLX_WIDTH, &w);
    if (query != nullptr) query(display, drawable, GLX_HEIGHT, &h);
    width = static_cast<int>(w);
    height = static_cast<int>(h);
  });
}

void after_glx() {
  static const auto current = reinterpret_cast<GLXContext (*)()>(find_by_glx("glXGetCurrentContext"));
  if (current != nullptr) probe().after_swap(current());
}

// EGL.

void before_egl(EGLDisplay display, EGLSurface surface) {
  static const auto current = reinterpret_cast<EGLContext (*)()>(
      real_dlsym()(RTLD_DEFAULT, "eglGetCurrentContext") != nullptr ? real_dlsym()(RTLD_DEFAULT, "eglGetCurrentContext")
                                                                    : find_by_egl("eglGetCurrentContext"));
  static const auto bound = reinterpret_cast<EGLSurface (*)(EGLint)>(find_by_egl("eglGetCurrentSurface"));
  static const auto query =
      reinterpret_cast<EGLBoolean (*)(EGLDisplay, EGLSurface, EGLint, EGLint*)>(find_by_egl("eglQuerySurface"));
  const bool own = current != nullptr && bound != nullptr && bound(EGL_DRAW) == surface;
  probe().before_swap(own ? current() : nullptr, reinterpret_cast<std::uintptr_t>(surface), &find_by_egl,
                      [&](int& width, int& height) {
                        if (query == nullptr) return;
                        query(display, surface, EGL_WIDTH, &width);
                        query(display, surface, EGL_HEIGHT, &height);
                      });
}

void after_egl() {
  static const auto current = reinterpret_cast<EGLContext (*)()>(find_by_egl("eglGetCurrentContext"));
  if (current != nullptr) probe().after_swap(current());
}

}  // namespace
}  // namespace idlemeter::probe

namespace probe = idlemeter::probe;

IDLEMETER_EXPORT void glXSwapBuffers(Display* display, GLXDrawable drawable) {
  probe::before_glx(display, drawable);
  probe::real_as<void (*)(Display*, GLXDrawable)>("glXSwapBuffers")(display, drawable);
  probe::after_glx();
}

IDLEMETER_EXPORT int64_t glXSwapBuffersMscOML(Display* display, GLXDrawable drawable, int64_t target, int64_t divisor,
                                              int64_t remainder) {
  probe::before_glx(display, drawable);
  const int64_t count = probe::real_as<int64_t (*)(Display*, GLXDrawable, int64_t, int64_t, int64_t)>(
      "glXSwapBuffersMscOML")(display, drawable, target, divisor, remainder);
  probe::after_glx();
  return count;
}

IDLEMETER_EXPORT EGLBoolean eglSwapBuffers(EGLDisplay display, EGLSurface surface) {
  probe::before_egl(display, surface);
  const EGLBoolean done = probe::real_as<EGLBoolean (*)(EGLDisplay, EGLSurface)>("eglSwapBuffers")(display, surface);
  probe::after_egl();
  return done;
}

namespace {

/// The overlay may lie outside of what the game says has changed, so that the whole window is presented.
template <typename Rectangles>
EGLBoolean swap_with_damage(const char* name, EGLDisplay display, EGLSurface surface, Rectangles rectangles,
                            EGLint count) {
  probe::before_egl(display, surface);
  const auto swap = probe::real_as<EGLBoolean (*)(EGLDisplay, EGLSurface, Rectangles, EGLint)>(name);
  (void)rectangles;
  (void)count;
  const EGLBoolean done = swap(display, surface, nullptr, 0);
  probe::after_egl();
  return done;
}

}  // namespace

IDLEMETER_EXPORT EGLBoolean eglSwapBuffersWithDamageEXT(EGLDisplay display, EGLSurface surface,
                                                        const EGLint* rectangles, EGLint count) {
  return swap_with_damage("eglSwapBuffersWithDamageEXT", display, surface, rectangles, count);
}

IDLEMETER_EXPORT EGLBoolean eglSwapBuffersWithDamageKHR(EGLDisplay display, EGLSurface surface,
                                                        const EGLint* rectangles, EGLint count) {
  return swap_with_damage("eglSwapBuffersWithDamageKHR", display, surface, rectangles, count);
}

// Contexts that begin.

IDLEMETER_EXPORT GLXContext glXCreateContext(Display* display, XVisualInfo* visual, GLXContext share, Bool direct) {
  const GLXContext made = probe::real_as<GLXContext (*)(Display*, XVisualInfo*, GLXContext, Bool)>("glXCreateContext")(
      display, visual, share, direct);
  probe::probe().forget(made);
  return made;
}

IDLEMETER_EXPORT GLXContext glXCreateNewContext(Display* display, GLXFBConfig config, int type, GLXContext share,
                                                Bool direct) {
  const GLXContext made = probe::real_as<GLXContext (*)(Display*, GLXFBConfig, int, GLXContext, Bool)>(
      "glXCreateNewContext")(display, config, type, share, direct);
  probe::probe().forget(made);
  return made;
}

IDLEMETER_EXPORT GLXContext glXCreateContextAttribsARB(Display* display, GLXFBConfig config, GLXContext share,
                                                       Bool direct, const int* attributes) {
  const GLXContext made = probe::real_as<GLXContext (*)(Display*, GLXFBConfig, GLXContext, Bool, const int*)>(
      "glXCreateContextAttribsARB")(display, config, share, direct, attributes);
  probe::probe().forget(made);
  return made;
}

IDLEMETER_EXPORT EGLContext eglCreateContext(EGLDisplay display, EGLConfig config, EGLContext share,
                                             const EGLint* attributes) {
  const EGLContext made = probe::real_as<EGLContext (*)(EGLDisplay, EGLConfig, EGLContext, const EGLint*)>(
      "eglCreateContext")(display, config, share, attributes);
  probe::probe().forget(made);
  return made;
}

// Look-ups.

namespace idlemeter::probe {
namespace {

/// Ours in place of a real one that is there.
Procedure ours_for(const char* name, Procedure found) {
  Hook* hook = found == nullptr || name == nullptr ? nullptr : hook_of(name);
  if (hook == nullptr) return found;
  void* own = hook->own;
  if (reinterpret_cast<void*>(found) != own)
    hook->real.store(reinterpret_cast<void*>(found), std::memory_order_relaxed);
  return reinterpret_cast<Procedure>(own);
}

}  // namespace
}  // namespace idlemeter::probe

IDLEMETER_EXPORT void (*glXGetProcAddressARB(const GLubyte* name))() {
  const auto get = probe::real_as<probe::Procedure (*)(const GLubyte*)>("glXGetProcAddressARB");
  return probe::ours_for(reinterpret_cast<const char*>(name), get == nullptr ? nullptr : get(name));
}

IDLEMETER_EXPORT void (*glXGetProcAddress(const GLubyte* name))() {
  const auto get = probe::real_as<probe::Procedure (*)(const GLubyte*)>("glXGetProcAddress");
  return probe::ours_for(reinterpret_cast<const char*>(name), get == nullptr ? nullptr : get(name));
}

IDLEMETER_EXPORT void (*eglGetProcAddress(const char* name))() {
  const auto get = probe::real_as<probe::Procedure (*)(const char*)>("eglGetProcAddress");
  return probe::ours_for(name, get == nullptr ? nullptr : get(name));
}

namespace idlemeter::probe {
namespace {

Hook* hook_of(const char* name) {
#define IDLEMETER_HOOK(name)                               \
  {                                                        \
#name, reinterpret_cast < void*>(&::name), { nullptr } \
  }
  static Hook hooks[] = {
      IDLEMETER_HOOK(glXSwapBuffers),
      IDLEMETER_HOOK(glXSwapBuffersMscOML),
      IDLEMETER_HOOK(eglSwapBuffers),
      IDLEMETER_HOOK(eglSwapBuffersWithDamageEXT),
      IDLEMETER_HOOK(eglSwapBuffersWithDamageKHR),
      IDLEMETER_HOOK(glXCreateContext),
      IDLEMETER_HOOK(glXCreateNewContext),
      IDLEMETER_HOOK(glXCreateContextAttribsARB),
      IDLEMETER_HOOK(eglCreateContext),
      IDLEMETER_HOOK(glXGetProcAddressARB),
      IDLEMETER_HOOK(glXGetProcAddress),
      IDLEMETER_HOOK(eglGetProcAddress),
  };
#undef IDLEMETER_HOOK
  if (::strncmp(name, "glX", 3) != 0 && ::strncmp(name, "egl", 3) != 0) return nullptr;
  for (Hook& hook : hooks) {
    if (::strcmp(hook.name, name) == 0) return &hook;
  }
  return nullptr;
}

}  // namespace
}  // namespace idlemeter::probe

/// For dlsym: ours where the name is hooked and the library has a real one, else nullptr.
extern "C" __attribute__((visibility("hidden"), used)) void* idlemeter_look_up(void* handle, const char* name) {
  if (handle == RTLD_NEXT || name == nullptr) return nullptr;
  probe::Hook* hook = probe::hook_of(name);
  if (hook == nullptr) return nullptr;
  void* found = probe::real_dlsym()(handle, name);
  if (found == nullptr) return nullptr;
  if (found != hook->own) hook->real.store(found, std::memory_order_relaxed);
  return hook->own;
}

extern "C" __attribute__((visibility("hidden"), used)) void* idlemeter_real_dlsym() {
  return reinterpret_cast<void*>(probe::real_dlsym());
}

// dlsym itself. RTLD_NEXT looks at who calls, so that passing on has to be a jump, whatever the compiler does.
#if defined(__x86_64__)
asm(R"(
  .text
  .globl dlsym
  .type dlsym, @function
dlsym:
  endbr64
  push %rdi
  push %rsi
  sub $8, %rsp
  call idlemeter_look_up
  test %rax, %rax
  jnz 1f
  call idlemeter_real_dlsym
  add $8, %rsp
  pop %rsi
  pop %rdi
  jmp *%rax
1:
  add $24, %rsp
  ret
  .size dlsym, . - dlsym
)");
#elif defined(__aarch64__)
asm(R"(
  .text
  .globl dlsym
  .type dlsym, @function
dlsym:
  stp x29, x30, [sp, #-32]!
  stp x0, x1, [sp, #16]
  bl idlemeter_look_up
  cbnz x0, 1f
  bl idlemeter_real_dlsym
  mov x16, x0
  ldp x0, x1, [sp, #16]
  ldp x29, x30, [sp], #32
  br x16
1:
  ldp x29, x30, [sp], #32
  ret
  .size dlsym, . - dlsym
)");
#else
#error "the probe knows x86-64 and aarch64"
#endif
