// Unix sockets that are the user's alone.
#pragma once

#include <filesystem>

namespace idlemeter::base {

/// A listening stream socket, see PrivateListener; whoever calls this owns it and its file.
[[nodiscard]] int listen_privately(const std::filesystem::path& socket);

/// A listening stream socket with mode 0600 in a folder with mode 0700. Its file is removed with it. One thread at a
/// time.
class PrivateListener {
 public:
  /// Creates the folder if it doesn't exist. Replaces a socket whose process is gone. Throws Error if another process
  /// listens on it, or if the folder is open to others.
  explicit PrivateListener(std::filesystem::path socket);
  PrivateListener(const PrivateListener&) = delete;
  PrivateListener& operator=(const PrivateListener&) = delete;
  ~PrivateListener();

  /// Readable while a peer waits to be accepted.
  [[nodiscard]] int descriptor() const { return socket_; }

  /// The next peer's socket, not blocking; -1 if there is none or it is another user's. If the process has no
  /// descriptor left, the peer is turned away, so that it doesn't wait for ever.
  [[nodiscard]] int accept();

 private:
  std::filesystem::path path_;
  int socket_;
  int spare_;  // to turn peers away with
};

}  // namespace idlemeter::base
