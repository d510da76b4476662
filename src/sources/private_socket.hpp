// Unix sockets that are the user's alone.
#pragma once

#include <filesystem>

namespace idlemeter::sources {

/// A listening stream socket with mode 0600 in a folder with mode 0700, which is made where it isn't there. A socket
/// left by a process that is gone is replaced. Throws Error where somebody listens on it already, or where the folder
/// is open to others.
[[nodiscard]] int listen_privately(const std::filesystem::path& socket);

/// For the user's sockets: $XDG_RUNTIME_DIR/idlemeter, else /tmp/idlemeter-UID.
[[nodiscard]] std::filesystem::path runtime_folder();

/// True where the process at the other end runs under this user or as root.
bool peer_is_this_user(int connection);

}  // namespace idlemeter::sources
