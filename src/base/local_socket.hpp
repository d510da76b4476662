// Unix stream sockets. Nothing throws or allocates: the probe inside a game uses this too.
#pragma once

namespace idlemeter::base {

/// True if the process at the other end runs under this user or as root, which may do anything anyway.
[[nodiscard]] bool peer_is_this_user(int connection) noexcept;

/// A socket connected to that path, not blocking, closed on exec; -1 with errno if nobody else of this user listens
/// there. EAGAIN: somebody does, but too many are waiting.
[[nodiscard]] int connect_to(const char* path) noexcept;

}  // namespace idlemeter::base
