// The calls that are taken in place of the game's, and the real ones behind them.
#pragma once

namespace idlemeter::probe {

using Procedure = void (*)();

enum class Call : unsigned {
  glx_swap_buffers,
  glx_swap_buffers_msc,
  egl_swap_buffers,
  egl_swap_buffers_with_damage_ext,
  egl_swap_buffers_with_damage_khr,
  glx_create_context,
  glx_create_new_context,
  glx_create_context_attribs,
  egl_create_context,
  glx_get_proc_address_arb,
  glx_get_proc_address,
  egl_get_proc_address,
};

/// What the game would have got: as a look-up of its own found it, else the next library's. Any thread; after the first
/// time one load.
void* real(Call call);

template <typename F>
F real_as(Call call) {
  return reinterpret_cast<F>(real(call));
}

/// For a look-up of the game's by name: ours in place of a real one that is there and is taken, else what was found.
Procedure ours_for(const char* name, Procedure found);

/// A call of the game's library that isn't taken; nullptr if there is none.
void* find_by_glx(const char* name);
void* find_by_egl(const char* name);

}  // namespace idlemeter::probe
