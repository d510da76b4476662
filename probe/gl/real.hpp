// The calls that are replaced, and the real ones behind them. have got: as a look-up of its own found it, else the next
// library's. Any thread; after the first
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
/// What the game would have got: what its own look-up found, else the next library's. Any thread; one load after the
/// first time.
void* real(Call call);

template <typename F>
F real_as(Call call) {
  return reinterpret_cast<F>(real(call));
}

/// For the game's look-up by name: ours if we replace that call and a real one exists, else what was found.
Procedure ours_for(const char* name, Procedure found);

/// A call of the game's library that isn't replaced; nullptr if there is none.
void* find_by_glx(const char* name);
void* find_by_egl(const char* name);

}  // namespace idlemeter::probe
