// Who is connected to a local socket.
#pragma once

#include <sys/types.h>

#include <filesystem>
#include <set>

namespace idlemeter::meter {

/// The inodes of the clients' ends of the connections to a socket of that path. Of this network namespace; empty if the
/// kernel doesn't tell (sock_diag(7), linux/unix_diag.h).
[[nodiscard]] std::set<ino_t> clients_of_socket(const std::filesystem::path& path);

/// Whether a process has one of these sockets open. False for another user's.
[[nodiscard]] bool has_any_socket(int pid, const std::set<ino_t>& sockets);

}  // namespace idlemeter::meter
