// A game for tests: presents frames of one colour by the chosen API and route, and checks that nobody changes its
// OpenGL state. Prints "presented N" and, at the end, "right" or what is wrong.
#include <SDL2/SDL.h>
#include <SDL2/SDL_opengl.h>
#include <fcntl.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

namespace {

struct Options {
  std::string api = "compat", swap;
  int frames = 60, contexts = 0, resizes = 0, pause = 0;
  bool forks = false, closes = false, odd = false, grabs = false, threads = false;
};

std::atomic<int> presented = 0;
std::mutex wrong_mutex;
std::string wrong;

void fail(const std::string& what) {
  const std::lock_guard lock(wrong_mutex);
  wrong = what;
}

struct Calls {
  decltype(&glClearColor) ClearColor;
  decltype(&glClear) Clear;
  decltype(&glGetIntegerv) GetIntegerv;
  decltype(&glEnable) Enable;
  decltype(&glScissor) Scissor;
  decltype(&glViewport) Viewport;
  decltype(&glBlendFunc) BlendFunc;
  decltype(&glPixelStorei) PixelStorei;
  decltype(&glGetError) GetError;
  decltype(&glIsEnabled) IsEnabled;
  decltype(&glCullFace) CullFace;
  PFNGLACTIVETEXTUREPROC ActiveTexture;
  PFNGLGENBUFFERSPROC GenBuffers;
  PFNGLBINDBUFFERPROC BindBuffer;
  PFNGLGETVERTEXATTRIBIVPROC GetVertexAttribiv;
};

template <typename F>
void find(F& call, const char* name) {
  call = reinterpret_cast<F>(SDL_GL_GetProcAddress(name));
}

Calls calls() {
  Calls c{};
  find(c.ClearColor, "glClearColor");
  find(c.Clear, "glClear");
  find(c.GetIntegerv, "glGetIntegerv");
  find(c.Enable, "glEnable");
  find(c.Scissor, "glScissor");
  find(c.Viewport, "glViewport");
  find(c.BlendFunc, "glBlendFunc");
  find(c.PixelStorei, "glPixelStorei");
  find(c.GetError, "glGetError");
  find(c.IsEnabled, "glIsEnabled");
  find(c.CullFace, "glCullFace");
  find(c.ActiveTexture, "glActiveTexture");
  find(c.GenBuffers, "glGenBuffers");
  find(c.BindBuffer, "glBindBuffer");
  find(c.GetVertexAttribiv, "glGetVertexAttribiv");
  return c;
}

/// State that drawing could disturb. Not every API knows each name: an unknown one stays 7.
std::vector<GLint> state(const Calls& c) {
  constexpr GLenum kNumbers[] = {0x8B8D /* program */,        GL_ACTIVE_TEXTURE,        GL_TEXTURE_BINDING_2D,
                                 0x8894 /* array buffer */,   0x8CA6 /* framebuffer */, 0x85B5 /* vertices */,
                                 0x8919 /* sampler */,        GL_BLEND_SRC_RGB,         GL_BLEND_DST_RGB,
                                 GL_BLEND_SRC_ALPHA,          GL_BLEND_DST_ALPHA,       0x8009 /* equation */,
                                 0x883D /* alpha equation */, GL_UNPACK_ALIGNMENT,      GL_UNPACK_ROW_LENGTH,
                                 GL_UNPACK_SKIP_ROWS,         GL_UNPACK_SKIP_PIXELS,    GL_CULL_FACE_MODE,
                                 0x88ED /* pixel buffer */,   GL_UNPACK_SWAP_BYTES,     GL_DRAW_BUFFER};
  constexpr GLenum kSwitches[] = {GL_BLEND,
                                  GL_SCISSOR_TEST,
                                  GL_DEPTH_TEST,
                                  GL_STENCIL_TEST,
                                  GL_CULL_FACE,
                                  GL_DITHER,
                                  GL_SAMPLE_ALPHA_TO_COVERAGE,
                                  0x8DB9 /* sRGB */,
                                  GL_COLOR_LOGIC_OP,
                                  GL_ALPHA_TEST,
                                  0x3000 /* clip */,
                                  0x8C89 /* discard */};
  std::vector<GLint> values;
  for (GLenum name : kNumbers) {
    GLint several[16] = {7};
    c.GetIntegerv(name, several);
    values.push_back(several[0]);
  }
  for (GLenum name : kSwitches) values.push_back(c.IsEnabled(name));
  for (GLenum name : {GL_VIEWPORT, GL_SCISSOR_BOX, GL_COLOR_WRITEMASK, GL_POLYGON_MODE}) {
    GLint several[16] = {7, 7, 7, 7};
    c.GetIntegerv(name, several);
    values.insert(values.end(), several, several + 4);
  }
  for (GLenum name : {0x8622, 0x8623, 0x8624, 0x8625, 0x886A, 0x889F}) {
    GLint value = 7;
    c.GetVertexAttribiv(0, name, &value);
    values.push_back(value);
  }
  while (c.GetError() != GL_NO_ERROR) {
  }
  return values;
}

/// Things that games do, and that an overlay has to survive.
void set_odd_state(const Calls& c) {
  for (GLenum name : {GL_BLEND, GL_SCISSOR_TEST, GL_DEPTH_TEST, GL_STENCIL_TEST, GL_CULL_FACE}) c.Enable(name);
  c.Scissor(0, 0, 1, 1);
  c.Viewport(3, 5, 7, 9);
  c.BlendFunc(GL_DST_COLOR, GL_ZERO);
  c.CullFace(GL_FRONT_AND_BACK);
  c.PixelStorei(GL_UNPACK_ALIGNMENT, 8);
  c.ActiveTexture(GL_TEXTURE3);
  GLuint buffer = 0;
  c.GenBuffers(1, &buffer);
  c.BindBuffer(GL_ARRAY_BUFFER, buffer);
}

/// The call by that name, found as SDL finds OpenGL's.
template <typename F>
F extension(const std::string& name) {
  F call = nullptr;
  find(call, name.c_str());
  if (call == nullptr) fail("no " + name);
  return call;
}

/// By the usual call, or by one of the alternatives.
void swap(SDL_Window* window, const Options& options) {
  if (options.swap.empty()) return SDL_GL_SwapWindow(window);
  if (options.swap == "glXSwapBuffersMscOML") {
    const auto call = extension<int64_t (*)(void*, unsigned long, int64_t, int64_t, int64_t)>(options.swap);
    void* const display = extension<void* (*)()>("glXGetCurrentDisplay")();
    call(display, extension<unsigned long (*)()>("glXGetCurrentDrawable")(), 0, 0, 0);
    return;
  }
  const auto call = extension<unsigned (*)(void*, void*, const int*, int)>(options.swap);
  constexpr int kCorner[] = {0, 0, 8, 8};
  void* const surface = extension<void* (*)(int)>("eglGetCurrentSurface")(0x3059 /* EGL_DRAW */);
  if (call(extension<void* (*)()>("eglGetCurrentDisplay")(), surface, kCorner, 1) == 0) fail("the swap failed");
}

void present(SDL_Window* window, const Calls& c, const Options& options) {
  int width = 0, height = 0;
  SDL_GL_GetDrawableSize(window, &width, &height);
  if (!options.odd) c.Viewport(0, 0, width, height);
  c.ClearColor(40 / 255.F, 80 / 255.F, 120 / 255.F, 1);
  if (options.odd) c.Scissor(0, 0, width, height);
  c.Clear(GL_COLOR_BUFFER_BIT);
  if (options.odd) c.Scissor(0, 0, 1, 1);
  const auto before = state(c);
  swap(window, options);
  ++presented;
  const GLenum error = c.GetError();
  if (error != GL_NO_ERROR) fail("an OpenGL error: " + std::to_string(error));
  const auto after = state(c);
  for (std::size_t i = 0; i < before.size(); ++i) {
    if (before[i] != after[i])
      fail("state " + std::to_string(i) + " was " + std::to_string(before[i]) + ", is " + std::to_string(after[i]));
  }
  if (options.pause > 0) SDL_Delay(static_cast<Uint32>(options.pause));
}

void choose(const std::string& api) {
  const bool es = api.starts_with("es");
  const int profile = es              ? SDL_GL_CONTEXT_PROFILE_ES
                      : api == "core" ? SDL_GL_CONTEXT_PROFILE_CORE
                                      : SDL_GL_CONTEXT_PROFILE_COMPATIBILITY;
  SDL_GL_SetAttribute(SDL_GL_CONTEXT_PROFILE_MASK, profile);
  SDL_GL_SetAttribute(SDL_GL_CONTEXT_MAJOR_VERSION, api == "es2" || api == "old" ? 2 : 3);
  SDL_GL_SetAttribute(SDL_GL_CONTEXT_MINOR_VERSION, api == "core" ? 3 : api == "old" ? 1 : 0);
}

/// Closes the meter's sockets, like a game that closes every descriptor it doesn't know, and opens its own file there.
void close_links() {
  for (int fd = 3; fd < 256; ++fd) {
    char path[64], target[256] = {};
    std::snprintf(path, sizeof path, "/proc/self/fd/%d", fd);
    if (::readlink(path, target, sizeof target - 1) <= 0 || std::strncmp(target, "socket:", 7) != 0) continue;
    sockaddr_un peer{};
    socklen_t size = sizeof peer;
    if (::getpeername(fd, reinterpret_cast<sockaddr*>(&peer), &size) != 0 ||
        std::strstr(peer.sun_path, ".link") == nullptr)
      continue;
    ::close(fd);
    if (::open("/dev/null", O_RDWR) != fd) fail("another descriptor than the closed one");
  }
}

/// A child that ends at once, and one that runs a program: neither is the game.
void fork_child(SDL_Window*, const Calls&, const Options&) {
  for (bool runs : {false, true}) {
    const pid_t child = ::fork();
    if (child == 0) {
      if (runs) ::execl("/bin/true", "true", nullptr);
      ::_exit(0);
    }
    int status = -1;
    ::waitpid(child, &status, 0);
    if (status != 0) fail("a child failed");
  }
}

void play(SDL_Window* window, const Options& options) {
  SDL_GLContext context = SDL_GL_CreateContext(window);
  if (context == nullptr) {
    fail(SDL_GetError());
    return;
  }
  SDL_GL_SetSwapInterval(0);
  const Calls c = calls();
  if (options.odd) set_odd_state(c);
  for (int i = 0; i < options.frames; ++i) {
    if (options.resizes > 0 && i % std::max(1, options.frames / options.resizes) == 0)
      SDL_SetWindowSize(window, 200 + i * 7 % 300, 150 + i * 13 % 200);
    if (!options.threads) SDL_PumpEvents();
    present(window, c, options);
    if (options.closes && i == 20) close_links();
    if (options.forks && i == 20) fork_child(window, c, options);
  }
  SDL_GL_DeleteContext(context);
}

SDL_Window* open_window(int x) {
  return SDL_CreateWindow("Still", x, 0, 320, 240, SDL_WINDOW_OPENGL | SDL_WINDOW_BORDERLESS);
}

Options options_of(int argc, char** argv) {
  Options options;
  for (int i = 1; i < argc; ++i) {
    const std::string word = argv[i];
    const auto number = [&] { return i + 1 < argc ? std::atoi(argv[++i]) : 0; };
    if (word == "--api") options.api = argv[++i];
    if (word == "--swap") options.swap = argv[++i];
    if (word == "--frames") options.frames = number();
    if (word == "--contexts") options.contexts = number();
    if (word == "--resizes") options.resizes = number();
    if (word == "--pause") options.pause = number();
    options.forks |= word == "--forks";
    options.closes |= word == "--closes";
    options.odd |= word == "--odd";
    options.threads |= word == "--threads";
    options.grabs |= word == "--grabs";
  }
  return options;
}

}  // namespace

int main(int argc, char** argv) {
  const Options options = options_of(argc, argv);
  SDL_SetHint(SDL_HINT_NO_SIGNAL_HANDLERS, "1");
  if (options.api.starts_with("es")) SDL_SetHint(SDL_HINT_OPENGL_ES_DRIVER, "1");
  if (SDL_Init(SDL_INIT_VIDEO) != 0) return 3;
  choose(options.api);
  SDL_Window* window = open_window(0);
  if (window == nullptr) {
    std::printf("%s\n", SDL_GetError());
    return 3;
  }
  if (options.grabs) {
    SDL_SetHint(SDL_HINT_GRAB_KEYBOARD, "1");
    SDL_SetWindowGrab(window, SDL_TRUE);
    SDL_SetWindowTitle(window, "Grabbing");
  }
  for (int i = 0; i < std::max(1, options.contexts) && wrong.empty(); ++i) {
    std::thread other;  // with a window and a context of its own
    if (options.threads) other = std::thread([&, beside = open_window(330)] { play(beside, options); });
    play(window, options);
    if (other.joinable()) other.join();
  }
  SDL_DestroyWindow(window);
  SDL_Quit();
  std::printf("presented %d\n%s\n", presented.load(), wrong.empty() ? "right" : wrong.c_str());
  return wrong.empty() ? 0 : 4;
}
