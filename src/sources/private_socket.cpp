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

sockaddr_un address_of(const fs::path& socket) {
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  if (socket.native().size() >= sizeof address.sun_path)
    throw Error("too long for a socket's path", socket.string(), "name a shorter one");
  socket.native().copy(address.sun_path, sizeof address.sun_path - 1);
  return address;
}

bool somebody_listens(const sockaddr_un& address) {
  const int probe = ::socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
  if (probe < 0) return true;  // it can't be told: what may be in use isn't replaced
  const bool answered = ::connect(probe, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0;
  const bool is_crowded = !answered && errno == EAGAIN;
  ::close(probe);
  return answered || is_crowded;
}

}  // namespace

void make_private_folder(const fs::path& folder) {
  std::error_code failed;
  fs::create_directories(folder.parent_path(), failed);
  if (::mkdir(folder.c_str(), 0700) != 0 && errno != EEXIST) {
    throw Error(std::string("cannot make the folder: ") + ::strerror(errno), folder.string());
  }
  struct stat status {};
  if (::lstat(folder.c_str(), &status) != 0 || !S_ISDIR(status.st_mode)) throw Error("isn't a folder", folder.string());
  if (status.st_uid != ::geteuid() || (status.st_mode & 077) != 0) {
    throw Error("others may open this folder", folder.string(), "make it your own with 'chmod 700', or name another");
  }
}

int listen_privately(const fs::path& socket) {
  make_private_folder(socket.parent_path());
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

PrivateListener::PrivateListener(fs::path socket)
    : path_(std::move(socket)), socket_(listen_privately(path_)), spare_(::open("/dev/null", O_RDONLY | O_CLOEXEC)) {}

PrivateListener::~PrivateListener() {
  ::close(socket_);
  if (spare_ >= 0) ::close(spare_);
  std::error_code gone;
  fs::remove(path_, gone);
}

int PrivateListener::accept() {
  const int peer = ::accept4(socket_, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
  if (peer >= 0 && peer_is_this_user(peer)) return peer;
  const bool full = peer < 0 && (errno == EMFILE || errno == ENFILE);
  if (peer >= 0) ::close(peer);
  if (!full) return -1;
  if (spare_ >= 0) ::close(spare_);
  if (const int turned_away = ::accept(socket_, nullptr, nullptr); turned_away >= 0) ::close(turned_away);
  spare_ = ::open("/dev/null", O_RDONLY | O_CLOEXEC);
  return -1;
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
