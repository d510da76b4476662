#include "gl/functions.hpp"

#include <stdio.h>
#include <string.h>

#include <utility>

namespace idlemeter::probe {

int version_from(const char* text, bool& es) {
  constexpr const char* kPrefix = "OpenGL ES ";
  es = ::strncmp(text, kPrefix, ::strlen(kPrefix)) == 0;
  int major = 0, minor = 0;
  if (::sscanf(es ? text + ::strlen(kPrefix) : text, "%d.%d", &major, &minor) != 2) return 0;
  return major * 10 + minor;
}

bool Gl::load(Find find) {
#define IDLEMETER_LOAD(name, type, parameters) name = reinterpret_cast<type(*) parameters>(find("gl" #name));
  IDLEMETER_GL(IDLEMETER_LOAD)
  IDLEMETER_GL_OPTIONAL(IDLEMETER_LOAD)
#undef IDLEMETER_LOAD
  if (GetString == nullptr || GetIntegerv == nullptr) return false;
  const auto* text = reinterpret_cast<const char*>(GetString(GL_VERSION));
  version = text == nullptr ? 0 : version_from(text, es);
  if (version < 20) return false;
  if (!es && version >= 32) {
    GLint profile = 0;
    GetIntegerv(GL_CONTEXT_PROFILE_MASK, &profile);
    core = (profile & GL_CONTEXT_CORE_PROFILE_BIT) != 0;
  }
  const auto* renderer = reinterpret_cast<const char*>(GetString(GL_RENDERER));
  ::snprintf(driver, sizeof driver, "%s, %s", renderer == nullptr ? "" : reinterpret_cast<const char*>(renderer), text);
  slow_clock = renderer != nullptr && ::strstr(renderer, "llvmpipe") != nullptr;
  drop_what_the_version_lacks();
  if (es) load_timers_of_es(find);
  load_divisors(find);
  if (!es && version < 33) QueryCounter = nullptr;
  if (QueryCounter == nullptr || (!es && version < 32)) GetInteger64v = nullptr;
#define IDLEMETER_HAS(name, type, parameters) &&name != nullptr
  return true IDLEMETER_GL(IDLEMETER_HAS);
#undef IDLEMETER_HAS
}

/// GetProcAddress also returns calls that the context doesn't have, so the version decides.
void Gl::drop_what_the_version_lacks() {
  const bool modern = version >= 30, blend_indexed = es ? version >= 32 : version >= 40;
  if (!modern) GenVertexArrays = nullptr;
  if (es ? version < 30 : version < 33) BindSampler = nullptr;
  if (es ? version < 32 : version < 30) {
    IsEnabledi = nullptr;
    ColorMaski = nullptr;
  }
  if (!blend_indexed) BlendFuncSeparatei = nullptr;
  if (es || version < 41) ViewportIndexedf = nullptr;
  if (es) PolygonMode = nullptr;
  if (es || version < 30) DrawBuffer = nullptr;
  if (es ? version < 30 : version < 40) PauseTransformFeedback = nullptr;
}

/// Only contexts without vertex array objects have to keep the game's, and have them only as an extension.
void Gl::load_divisors(Find find) {
  VertexAttribDivisor = nullptr;
  if (version >= 30) return;
  const auto* const extensions = reinterpret_cast<const char*>(GetString(GL_EXTENSIONS));
  for (const auto& [extension, name] : {std::pair("GL_ARB_instanced_arrays", "glVertexAttribDivisorARB"),
                                        std::pair("GL_EXT_instanced_arrays", "glVertexAttribDivisorEXT"),
                                        std::pair("GL_ANGLE_instanced_arrays", "glVertexAttribDivisorANGLE")}) {
    if (extensions != nullptr && VertexAttribDivisor == nullptr && ::strstr(extensions, extension) != nullptr)
      VertexAttribDivisor = reinterpret_cast<decltype(VertexAttribDivisor)>(find(name));
  }
}

/// OpenGL ES has timers only as an extension.
void Gl::load_timers_of_es(Find find) {
  QueryCounter = reinterpret_cast<decltype(QueryCounter)>(find("glQueryCounterEXT"));
  GetQueryObjectui64v = reinterpret_cast<decltype(GetQueryObjectui64v)>(find("glGetQueryObjectui64vEXT"));
  GetQueryObjectuiv = reinterpret_cast<decltype(GetQueryObjectuiv)>(find("glGetQueryObjectuivEXT"));
  GenQueries = reinterpret_cast<decltype(GenQueries)>(find("glGenQueriesEXT"));
  GetQueryiv = reinterpret_cast<decltype(GetQueryiv)>(find("glGetQueryivEXT"));
  GetInteger64v = reinterpret_cast<decltype(GetInteger64v)>(find("glGetInteger64vEXT"));
  const auto* extensions = reinterpret_cast<const char*>(GetString(GL_EXTENSIONS));
  const bool timers = extensions != nullptr && ::strstr(extensions, "GL_EXT_disjoint_timer_query") != nullptr;
  if (!timers) QueryCounter = nullptr;
}

}  // namespace idlemeter::probe
