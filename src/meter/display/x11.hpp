// What the meter's parts on an X11 display have in common.
#pragma once

#include <xcb/xcb.h>

#include <cstdlib>
#include <memory>

namespace idlemeter::meter {

/// A reply or event that xcb gave; nullptr if there was an error.
template <typename T>
using Reply = std::unique_ptr<T, decltype(&std::free)>;

template <typename T>
Reply<T> owned(T* reply) {
  return {reply, &std::free};
}

struct Disconnect {
  void operator()(xcb_connection_t* display) const { xcb_disconnect(display); }
};

/// A connection to the display that the environment names. See xcb_connection_has_error.
using Connection = std::unique_ptr<xcb_connection_t, Disconnect>;

inline Connection connect_to_display(int* screen = nullptr) { return Connection(xcb_connect(nullptr, screen)); }

}  // namespace idlemeter::meter
