// The clients of a local socket.
#pragma once

#include <sys/types.h>

#include <filesystem>
#include <set>

namespace idlemeter::meter {

/// Returns the inodes of the clients' ends of all connections to the socket with that path, in this network namespace.
/// Empty if the kernel doesn't support the query (sock_diag(7), linux/unix_diag.h).
[[nodiscard]] std::set<ino_t> clients_of_socket(const std::filesystem::path& path);

/// Returns whether a process has one of these sockets open; false for another user's process.
[[nodiscard]] bool has_any_socket(int pid, const std::set<ino_t>& sockets);

}  // namespace idlemeter::meter
