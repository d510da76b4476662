// The desktop session's message bus.
#pragma once

#include <gio/gio.h>

#include <memory>
#include <string>

namespace idlemeter::meter {

template <auto Free>
struct Freed {
  template <typename T>
  void operator()(T* one) const {
    Free(one);
  }
};
/// What GLib and other C libraries give.
template <typename T, auto Free>
using Owned = std::unique_ptr<T, Freed<Free>>;

using Variant = Owned<GVariant, &g_variant_unref>;
using Bus = Owned<GDBusConnection, &g_object_unref>;

/// What an error says, without the bus's own words; frees it.
std::string reason_of(GError* error);

/// A private connection: the shared one would end the program when the bus goes away. Throws Error (failed).
Bus connect_to_session_bus();

}  // namespace idlemeter::meter
