// Tidepool Rally, a small game: a drive along a beach that is the same every time. It shows how an engine links Idle
// Meter, and is something to try `idlemeter play` on.
//
//   tidepool_rally [--seconds S] [--frames N] [--load N] [--rate FPS] [--size WxH] [--linked]
//
// --load: how much work each pixel is (1); --linked: with the meter's library inside instead of a probe.
#include <SDL2/SDL.h>
#include <SDL2/SDL_opengl.h>

#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <string>

#include "idlemeter/game/game_link.hpp"

namespace {

struct Options {
  double seconds = 60, rate = 0;
  long frames = 0;
  int load = 1, width = 1280, height = 720;
  bool linked = false;
};

/// What the game needs of OpenGL 3.3.
// clang-format off
#define CALLS(X) \
  X(CreateShader, PFNGLCREATESHADERPROC) X(ShaderSource, PFNGLSHADERSOURCEPROC) \
  X(CompileShader, PFNGLCOMPILESHADERPROC) X(CreateProgram, PFNGLCREATEPROGRAMPROC) \
  X(AttachShader, PFNGLATTACHSHADERPROC) X(LinkProgram, PFNGLLINKPROGRAMPROC) \
  X(GetProgramiv, PFNGLGETPROGRAMIVPROC) X(UseProgram, PFNGLUSEPROGRAMPROC) \
  X(GetUniformLocation, PFNGLGETUNIFORMLOCATIONPROC) X(Uniform1f, PFNGLUNIFORM1FPROC) \
  X(Uniform1i, PFNGLUNIFORM1IPROC) X(Uniform2f, PFNGLUNIFORM2FPROC) \
  X(GenVertexArrays, PFNGLGENVERTEXARRAYSPROC) X(BindVertexArray, PFNGLBINDVERTEXARRAYPROC)
// clang-format on

struct Gl {
#define MEMBER(name, type) type name = nullptr;
  CALLS(MEMBER)
#undef MEMBER
  void load() {
#define LOAD(name, type) name = reinterpret_cast<type>(SDL_GL_GetProcAddress("gl" #name));
    CALLS(LOAD)
#undef LOAD
  }
};

constexpr const char* kVertex = R"(#version 330
out vec2 at;
void main() {
  at = vec2(gl_VertexID & 1, gl_VertexID >> 1) * 2.0;
  gl_Position = vec4(at * 2.0 - 1.0, 0.0, 1.0);
})";

constexpr const char* kPixel = R"(#version 330
in vec2 at;
out vec4 pixel;
uniform float time, aspect;
uniform int load;

float hills(float x) { return 0.56 + 0.035 * sin(x * 3.1) + 0.02 * sin(x * 7.7 + 1.3); }

float wave(vec2 p) {
  float sum = 0.0;
  for (int i = 1; i <= 3 * load; ++i) sum += sin(p.x * 17.0 * float(1 + i % 3) + time * 1.7 + float(i) * 1.9) / float(i * i);
  return sum;
}

float box(vec2 p, vec2 centre, vec2 half_size) {
  vec2 d = abs(p - centre) - half_size;
  return 1.0 - smoothstep(0.0, 0.004, max(d.x, d.y));
}

void main() {
  vec2 p = vec2(at.x * aspect, at.y);
  vec3 color = mix(vec3(0.88, 0.94, 0.86), vec3(0.45, 0.72, 0.92), smoothstep(0.55, 1.0, p.y));
  color = mix(color, vec3(1.0, 0.97, 0.82), 1.0 - smoothstep(0.058, 0.06, distance(p, vec2(aspect * 0.7, 0.74))));
  if (p.y < hills(p.x + time * 0.02)) color = vec3(0.72, 0.66, 0.58);
  if (p.y < 0.52) color = mix(vec3(0.16, 0.55, 0.68), vec3(0.55, 0.85, 0.83), p.y / 0.52 + 0.03 * wave(p));
  float shore = 0.36 + 0.02 * sin(p.x * 2.0 + time * 0.4) + 0.004 * wave(p * 0.5);
  if (p.y < shore) color = vec3(0.95, 0.87, 0.68);
  float depth = max(0.34 - p.y, 0.0), middle = aspect * (0.5 + 0.12 * sin(time * 0.5 + depth * 6.0) * (1.0 - depth * 2.0));
  if (p.y < 0.34 && abs(p.x - middle) < 0.04 + depth * 1.1) {
    color = vec3(0.86, 0.80, 0.72);
    if (abs(p.x - middle) < 0.008 + depth * 0.02 && fract(8.0 / (depth + 0.15) + time * 6.0) < 0.5) color = vec3(0.97, 0.95, 0.88);
  }
  vec2 car = vec2(aspect * (0.5 + 0.08 * sin(time * 0.5)), 0.12 + 0.004 * sin(time * 23.0));
  color = mix(color, vec3(0.08), box(p, car + vec2(-0.075, -0.045), vec2(0.022, 0.03)) + box(p, car + vec2(0.075, -0.045), vec2(0.022, 0.03)));
  color = mix(color, vec3(0.90, 0.34, 0.28), box(p, car, vec2(0.10, 0.035)));
  color = mix(color, vec3(0.74, 0.88, 0.92), box(p, car + vec2(0.0, 0.06), vec2(0.055, 0.028)));
  pixel = vec4(color, 1.0);
})";

unsigned make_program(const Gl& gl) {
  const unsigned program = gl.CreateProgram();
  for (const auto& [kind, source] : {std::pair{GL_VERTEX_SHADER, kVertex}, {GL_FRAGMENT_SHADER, kPixel}}) {
    const unsigned shader = gl.CreateShader(static_cast<GLenum>(kind));
    gl.ShaderSource(shader, 1, &source, nullptr);
    gl.CompileShader(shader);
    gl.AttachShader(program, shader);
  }
  gl.LinkProgram(program);
  int linked = 0;
  gl.GetProgramiv(program, GL_LINK_STATUS, &linked);
  return linked != 0 ? program : 0;
}

Options options_of(int argc, char** argv) {
  Options options;
  for (int i = 1; i < argc; ++i) {
    const std::string word = argv[i];
    const char* value = i + 1 < argc ? argv[i + 1] : "";
    if (word == "--linked") {
      options.linked = true;
      continue;
    }
    const bool known = (word == "--seconds" && std::sscanf(value, "%lf", &options.seconds) == 1) ||
                       (word == "--frames" && std::sscanf(value, "%ld", &options.frames) == 1) ||
                       (word == "--load" && std::sscanf(value, "%d", &options.load) == 1) ||
                       (word == "--rate" && std::sscanf(value, "%lf", &options.rate) == 1) ||
                       (word == "--size" && std::sscanf(value, "%dx%d", &options.width, &options.height) == 2);
    if (!known) {
      std::fprintf(stderr, "tidepool_rally: '%s' isn't an option with a value; see the head of its source\n", argv[i]);
      std::exit(2);
    }
    ++i;
  }
  return options;
}

/// Waits for the next frame's time if a rate is given.
void pace(const Options& options, long frame, Uint64 start) {
  if (options.rate <= 0) return;
  const double due = static_cast<double>(frame) / options.rate;
  const auto passed = [&] {
    return static_cast<double>(SDL_GetPerformanceCounter() - start) /
           static_cast<double>(SDL_GetPerformanceFrequency());
  };
  if (due - passed() > 0.002) SDL_Delay(static_cast<Uint32>((due - passed()) * 1000 - 1));
  while (passed() < due) {
  }
}

/// Drives the course, by the clock or, if frames are counted, by their number.
long play(SDL_Window* window, const Gl& gl, unsigned program, const Options& options, double& seconds) {
  const auto link = options.linked ? std::make_unique<idlemeter::GameLink>(&SDL_GL_GetProcAddress)
                                   : std::unique_ptr<idlemeter::GameLink>();
  const int time = gl.GetUniformLocation(program, "time");
  const Uint64 start = SDL_GetPerformanceCounter();
  long frame = 0;
  bool ended = false;
  while (!ended) {
    for (SDL_Event event; SDL_PollEvent(&event) != 0;) ended = ended || event.type == SDL_QUIT;
    seconds =
        static_cast<double>(SDL_GetPerformanceCounter() - start) / static_cast<double>(SDL_GetPerformanceFrequency());
    if (options.frames > 0 ? frame >= options.frames : seconds >= options.seconds) break;
    int width = 0, height = 0;
    SDL_GL_GetDrawableSize(window, &width, &height);
    glViewport(0, 0, width, height);
    gl.Uniform1f(time, static_cast<float>(options.frames > 0 ? static_cast<double>(frame) / 60 : seconds));
    gl.Uniform1f(gl.GetUniformLocation(program, "aspect"), static_cast<float>(width) / static_cast<float>(height));
    glDrawArrays(GL_TRIANGLES, 0, 3);
    if (link != nullptr) link->before_swap(width, height);
    SDL_GL_SwapWindow(window);
    if (link != nullptr) link->after_swap();
    pace(options, ++frame, start);
  }
  return frame;
}

}  // namespace

int main(int argc, char** argv) {
  const Options options = options_of(argc, argv);
  if (SDL_Init(SDL_INIT_VIDEO) != 0) return std::fprintf(stderr, "tidepool_rally: %s\n", SDL_GetError()), 1;
  SDL_GL_SetAttribute(SDL_GL_CONTEXT_PROFILE_MASK, SDL_GL_CONTEXT_PROFILE_CORE);
  SDL_GL_SetAttribute(SDL_GL_CONTEXT_MAJOR_VERSION, 3);
  SDL_GL_SetAttribute(SDL_GL_CONTEXT_MINOR_VERSION, 3);
  SDL_Window* window =
      SDL_CreateWindow("Tidepool Rally", 0, 0, options.width, options.height, SDL_WINDOW_OPENGL | SDL_WINDOW_RESIZABLE);
  const SDL_GLContext context = window == nullptr ? nullptr : SDL_GL_CreateContext(window);
  if (context == nullptr) return std::fprintf(stderr, "tidepool_rally: %s\n", SDL_GetError()), 1;
  SDL_GL_SetSwapInterval(0);
  Gl gl;
  gl.load();
  const unsigned program = make_program(gl);
  if (program == 0) return std::fprintf(stderr, "tidepool_rally: the shader doesn't link\n"), 1;
  unsigned vertices = 0;
  gl.GenVertexArrays(1, &vertices);
  gl.BindVertexArray(vertices);
  gl.UseProgram(program);
  gl.Uniform1i(gl.GetUniformLocation(program, "load"), options.load);
  double seconds = 0;
  const long frames = play(window, gl, program, options, seconds);
  std::printf("%ld frames in %.3f s, average %.2f FPS\n", frames, seconds, static_cast<double>(frames) / seconds);
  SDL_GL_DeleteContext(context);
  SDL_DestroyWindow(window);
  SDL_Quit();
}
