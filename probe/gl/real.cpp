#include "gl/real.hpp"

#define EGL_EGLEXT_PROTOTYPES
#define GLX_GLXEXT_PROTOTYPES
#include <EGL/egl.h>
#include <EGL/eglext.h>
#include <GL/glx.h>
#include <dlfcn.h>
#include <string.h>

#include <atomic>

namespace idlemeter::probe {
namespace {

using DlSym = void* (*)(void*, const char*);

/// The real dlsym, under the versions that it has had.
DlSym real_dlsym() {
  static const DlSym found = [] {
    for (const char* version : {"GLIBC_2.34", "GLIBC_2.2.5", "GLIBC_2.17", "GLIBC_2.0"}) {
      if (void* symbol = ::dlvsym(RTLD_NEXT, "dlsym", version)) return reinterpret_cast<DlSym>(symbol);
    }
    return static_cast<DlSym>(nullptr);
  }();
  return found;
}

struct Hook {
  const char* name;
  void* own;
  std::atomic<void*> real;
};

template <typename F>
void* address(F* call) {
  return reinterpret_cast<void*>(call);
}

/// In the order of Call.
Hook hooks[] = {{"glXSwapBuffers", address(&::glXSwapBuffers), nullptr},
                {"glXSwapBuffersMscOML", address(&::glXSwapBuffersMscOML), nullptr},
                {"eglSwapBuffers", address(&::eglSwapBuffers), nullptr},
                {"eglSwapBuffersWithDamageEXT", address(&::eglSwapBuffersWithDamageEXT), nullptr},
                {"eglSwapBuffersWithDamageKHR", address(&::eglSwapBuffersWithDamageKHR), nullptr},
                {"glXCreateContext", address(&::glXCreateContext), nullptr},
                {"glXCreateNewContext", address(&::glXCreateNewContext), nullptr},
                {"glXCreateContextAttribsARB", address(&::glXCreateContextAttribsARB), nullptr},
                {"eglCreateContext", address(&::eglCreateContext), nullptr},
                {"glXGetProcAddressARB", address(&::glXGetProcAddressARB), nullptr},
                {"glXGetProcAddress", address(&::glXGetProcAddress), nullptr},
                {"eglGetProcAddress", address(&::eglGetProcAddress), nullptr}};

Hook* hook_of(const char* name) {
  if (::strncmp(name, "glX", 3) != 0 && ::strncmp(name, "egl", 3) != 0) return nullptr;
  for (Hook& hook : hooks) {
    if (::strcmp(hook.name, name) == 0) return &hook;
  }
  return nullptr;
}

/// In the next library, or in one that was loaded outside the global scope.
void* find_real(const char* name) {
  void* found = real_dlsym()(RTLD_NEXT, name);
  for (const char* library : {"libGL.so.1", "libEGL.so.1", "libGLX.so.0"}) {
    if (found != nullptr) break;
    void* handle = ::dlopen(library, RTLD_LAZY | RTLD_NOLOAD);
    if (handle == nullptr) continue;
    found = real_dlsym()(handle, name);
    ::dlclose(handle);
  }
  return found;
}

/// Keeps what a look-up found, and returns ours.
void* taken(Hook& hook, void* found) {
  if (found != hook.own) hook.real.store(found, std::memory_order_relaxed);
  return hook.own;
}

}  // namespace

void* real(Call call) {
  Hook& hook = hooks[static_cast<unsigned>(call)];
  void* found = hook.real.load(std::memory_order_relaxed);
  if (found != nullptr) return found;
  found = find_real(hook.name);
  hook.real.store(found, std::memory_order_relaxed);
  return found;
}

Procedure ours_for(const char* name, Procedure found) {
  Hook* hook = found == nullptr || name == nullptr ? nullptr : hook_of(name);
  return hook == nullptr ? found : reinterpret_cast<Procedure>(taken(*hook, reinterpret_cast<void*>(found)));
}

void* find_by_glx(const char* name) {
  const auto get = real_as<Procedure (*)(const GLubyte*)>(Call::glx_get_proc_address_arb);
  return get == nullptr ? nullptr : reinterpret_cast<void*>(get(reinterpret_cast<const GLubyte*>(name)));
}

void* find_by_egl(const char* name) {
  const auto get = real_as<Procedure (*)(const char*)>(Call::egl_get_proc_address);
  return get == nullptr ? nullptr : reinterpret_cast<void*>(get(name));
}

}  // namespace idlemeter::probe

/// For dlsym: ours if we replace that name and the library has a real one, else nullptr. RTLD_NEXT is never changed.
extern "C" __attribute__((visibility("hidden"), used)) void* idlemeter_look_up(void* handle, const char* name) {
  using namespace idlemeter::probe;
  Hook* hook = handle == RTLD_NEXT || name == nullptr ? nullptr : hook_of(name);
  void* found = hook == nullptr ? nullptr : real_dlsym()(handle, name);
  return found == nullptr ? nullptr : taken(*hook, found);
}

extern "C" __attribute__((visibility("hidden"), used)) void* idlemeter_real_dlsym() {
  return reinterpret_cast<void*>(idlemeter::probe::real_dlsym());
}

// dlsym itself. RTLD_NEXT depends on the caller, so passing on has to be a jump, whatever the compiler does.
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
#elif defined(__i386__)
asm(R"(
  .text
  .globl dlsym
  .type dlsym, @function
dlsym:
  endbr32
  mov 4(%esp), %eax
  mov 8(%esp), %ecx
  sub $4, %esp
  push %ecx
  push %eax
  call idlemeter_look_up
  add $12, %esp
  test %eax, %eax
  jnz 1f
  sub $12, %esp
  call idlemeter_real_dlsym
  add $12, %esp
  jmp *%eax
1:
  ret
  .size dlsym, . - dlsym
)");
#else
#error "the probe knows x86-64, i386 and aarch64"
#endif
