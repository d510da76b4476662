#include "meter/session_bus.hpp"

#include <fmt/format.h>

#include "idlemeter/base/error.hpp"

namespace idlemeter::meter {

std::string reason_of(GError* error) {
  const Owned<GError, &g_error_free> owned(error);
  if (owned == nullptr) return "no reason given";
  g_dbus_error_strip_remote_error(owned.get());
  return owned->message;
}

Bus connect_to_session_bus() {
  constexpr auto kFlags = static_cast<GDBusConnectionFlags>(G_DBUS_CONNECTION_FLAGS_AUTHENTICATION_CLIENT |
                                                            G_DBUS_CONNECTION_FLAGS_MESSAGE_BUS_CONNECTION);
  GError* error = nullptr;
  const Owned<char, &g_free> address(g_dbus_address_get_for_bus_sync(G_BUS_TYPE_SESSION, nullptr, &error));
  if (address == nullptr)
    throw Error(Error::Code::failed, fmt::format("there is no session bus ({})", reason_of(error)));
  Bus bus(g_dbus_connection_new_for_address_sync(address.get(), kFlags, nullptr, nullptr, &error));
  if (bus == nullptr)
    throw Error(Error::Code::failed, fmt::format("the session bus can't be reached ({})", reason_of(error)));
  return bus;
}

}  // namespace idlemeter::meter
