// Who is at the other end of a connection.
#pragma once

#include <sys/types.h>

#include <optional>

namespace idlemeter::http {

/// The user who has the other end of a TCP connection open, by the kernel's socket tables; empty if that end isn't on
/// this machine, or is closed already.
[[nodiscard]] std::optional<uid_t> peer_user(int socket);

}  // namespace idlemeter::http
