// Unix sockets that are the user's alone.
#pragma once

#include <filesystem>

namespace idlemeter::sources {

/// Makes a folder with mode 0700 if it isn't there. Throws Error if it can't be made, or is open to others.
void make_private_folder(const std::filesystem::path& folder);

/// A listening stream socket with mode 0600 in a folder with mode 0700, which is made where it isn't there. A socket
/// left by a process that is gone is replaced. Throws Error where somebody listens on it already, or where the folder
/// is open to others.
[[nodiscard]] int listen_privately(const std::filesystem::path& socket);

/// Such a socket, whose file goes with it, and who comes to it. One thread at a time.
class PrivateListener {
 public:
  /// Throws Error as listen_privately() does.
  explicit PrivateListener(std::filesystem::path socket);
  PrivateListener(const PrivateListener&) = delete;
  PrivateListener& operator=(const PrivateListener&) = delete;
  ~PrivateListener();

  /// Readable while somebody wants to come in.
  [[nodiscard]] int descriptor() const { return socket_; }

  /// The next peer's socket, not blocking; -1 if there is none, it is another user's, or the process has no descriptor
  /// left: then the peer is turned away, so that it doesn't stay at the door for ever.
  [[nodiscard]] int accept();

 private:
  std::filesystem::path path_;
  int socket_;
  int spare_;  // to turn peers away with
};

/// For the user's sockets: $XDG_RUNTIME_DIR/idlemeter, else /tmp/idlemeter-UID.
[[nodiscard]] std::filesystem::path runtime_folder();

/// True where the process at the other end runs under this user or as root.
bool peer_is_this_user(int connection);

}  // namespace idlemeter::sources
