#include "base/private_socket.hpp"

#include <fcntl.h>
#include <signal.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <string>

#include "base/local_socket.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/user_folder.hpp"

namespace idlemeter::base {
namespace {

namespace fs = std::filesystem;

sockaddr_un address_of(const fs::path& socket) {
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  if (socket.native().size() >= sizeof address.sun_path)
    throw Error(Error::Code::invalid, "too long for a socket's path", socket.string(), "name a shorter one");
  socket.native().copy(address.sun_path, sizeof address.sun_path - 1);
  return address;
}

/// True also if that can't be found out: a socket that may be in use isn't replaced.
bool somebody_listens(const fs::path& socket) {
  const int peer = connect_to(socket.c_str());
  if (peer < 0) return errno != ECONNREFUSED && errno != ENOENT;
  ::close(peer);
  return true;
}

/// Sockets of programs that were killed, "PID.NAME": the process is gone, and nobody listens.
void remove_left(const fs::path& folder) {
  std::error_code ignored;
  for (const fs::directory_entry& entry : fs::directory_iterator(folder, ignored)) {
    const int process = std::atoi(entry.path().stem().c_str());
    const bool is_gone = process > 0 && ::kill(process, 0) != 0 && errno == ESRCH;
    if (is_gone && entry.is_socket(ignored) && !somebody_listens(entry.path())) fs::remove(entry.path(), ignored);
  }
}

}  // namespace

int listen_privately(const fs::path& socket) {
  make_private_folder(socket.parent_path());
  remove_left(socket.parent_path());
  const sockaddr_un address = address_of(socket);
  if (somebody_listens(socket))
    throw Error(Error::Code::in_use, "another meter already listens here", socket.string(),
                "end it, or name another socket");
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
  throw Error(Error::Code::failed, std::string("cannot listen: ") + ::strerror(error), socket.string());
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

}  // namespace idlemeter::base
