#include "base/local_socket.hpp"

#include <errno.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

namespace idlemeter::base {

bool peer_is_this_user(int connection) noexcept {
  ucred peer{};
  socklen_t size = sizeof peer;
  if (::getsockopt(connection, SOL_SOCKET, SO_PEERCRED, &peer, &size) != 0) return false;
  return peer.uid == ::geteuid() || peer.uid == 0;
}

int connect_to(const char* path) noexcept {
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  if (::strlen(path) >= sizeof address.sun_path) {
    errno = ENAMETOOLONG;
    return -1;
  }
  ::strcpy(address.sun_path, path);
  const int socket = ::socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
  if (socket < 0) return -1;
  int error = 0;
  if (::connect(socket, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0) error = errno;
  if (error == 0 && !peer_is_this_user(socket)) error = EACCES;
  if (error == 0) return socket;
  ::close(socket);
  errno = error;
  return -1;
}

}  // namespace idlemeter::base
