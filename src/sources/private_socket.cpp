#include "sources/private_socket.hpp"

#include <fcntl.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <string>

#include "idlemeter/error.hpp"

namespace idlemeter::sources {
namespace {

namespace fs = std::filesystem;

void check_folder(const fs::path& folder) {
  std::error_code failed;
  fs::create_directories(folder.parent_path(), failed);
  if (::mkdir(folder.c_str(), 0700) != 0 && errno != EEXIST) {
    throw Error(std::string("cannot make the folder: ") + ::strerror(errno), folder.string());
  }
  struct stat status {};
  if (::lstat(folder.c_str(), &status) != 0 || !S_ISDIR(status.st_mode)) throw Error("is no folder", folder.string());
  if (status.st_uid != ::geteuid() || (status.st_mode & 077) != 0) {
    throw Error("others may open this folder", folder.string(), "make it your own with 'chmod 700', or name another");
  }
}

sockaddr_un address_of(const fs::path& socket) {
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  if (socket.native().size() >= sizeof address.sun_path)
    throw Error("too long for a socket's path", socket.string(), "name a shorter one");
  socket.native().copy(address.sun_path, sizeof address.sun_path - 1);
  return address;
}

bool somebody_listens(const sockaddr_un& address) {
  const int probe = ::socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
  const bool answered = ::connect(probe, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0;
  ::close(probe);
  return answered;
}

}  // namespace

int listen_privately(const fs::path& socket) {
  check_folder(socket.parent_path());
  const sockaddr_un address = address_of(socket);
  if (somebody_listens(address))
    throw Error("another meter listens here already", socket.string(), "end it, or name another socket");
  std::error_code failed;
  if (fs::is_socket(socket, failed)) fs::remove(socket, failed);
  const int listening = ::socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
  // The file takes the socket's own mode, so that it is never open to others, not even for a moment.
  const bool ready = listening >= 0 && ::fchmod(listening, 0600) == 0 &&
                     ::bind(listening, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0 &&
                     ::listen(listening, 16) == 0;
  if (ready) return listening;
  const int error = errno;
  if (listening >= 0) ::close(listening);
  throw Error(std::string("cannot listen: ") + ::strerror(error), socket.string());
}

fs::path runtime_folder() {
  const char* runtime = std::getenv("XDG_RUNTIME_DIR");
  if (runtime != nullptr && *runtime == '/') return fs::path(runtime) / "idlemeter";
  return "/tmp/idlemeter-" + std::to_string(::geteuid());
}

bool peer_is_this_user(int connection) {
  ucred peer{};
  socklen_t size = sizeof peer;
  if (::getsockopt(connection, SOL_SOCKET, SO_PEERCRED, &peer, &size) != 0) return false;
  return peer.uid == ::geteuid() || peer.uid == 0;
}

}  // namespace idlemeter::sources
