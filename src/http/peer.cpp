#include "http/peer.hpp"

#include <arpa/inet.h>
#include <fmt/format.h>
#include <sys/socket.h>

#include <array>
#include <cstring>
#include <fstream>
#include <sstream>
#include <string>

namespace idlemeter::http {
namespace {

/// An end of a connection as /proc/net/tcp and tcp6 write it: the address in 32-bit words of the machine's byte order,
/// then the port. Empty for any other kind of socket.
std::string table_text(const sockaddr_storage& end) {
  std::array<std::uint32_t, 4> words{};
  if (end.ss_family == AF_INET) {
    const auto& four = reinterpret_cast<const sockaddr_in&>(end);
    return fmt::format("{:08X}:{:04X}", four.sin_addr.s_addr, ntohs(four.sin_port));
  }
  if (end.ss_family != AF_INET6) return "";
  const auto& six = reinterpret_cast<const sockaddr_in6&>(end);
  std::memcpy(words.data(), &six.sin6_addr, sizeof words);
  return fmt::format("{:08X}{:08X}{:08X}{:08X}:{:04X}", words[0], words[1], words[2], words[3], ntohs(six.sin6_port));
}

/// The user of the socket between `local` and `remote`. An orphan, which no process has open, is listed as root's with
/// inode 0: it is nobody's.
std::optional<uid_t> user_in(const char* table, const std::string& local, const std::string& remote) {
  std::ifstream lines(table);
  for (std::string line; std::getline(lines, line);) {
    if (line.find(local) == std::string::npos) continue;
    std::istringstream fields(line);
    std::string slot, from, to, state, queues, timer, retransmits, timeout;
    uid_t user = 0;
    std::uint64_t inode = 0;
    fields >> slot >> from >> to >> state >> queues >> timer >> retransmits >> user >> timeout >> inode;
    if (fields && from == local && to == remote && inode != 0) return user;
  }
  return std::nullopt;
}

}  // namespace

std::optional<uid_t> peer_user(int socket) {
  sockaddr_storage here{}, there{};
  socklen_t here_size = sizeof here, there_size = sizeof there;
  if (::getsockname(socket, reinterpret_cast<sockaddr*>(&here), &here_size) != 0 ||
      ::getpeername(socket, reinterpret_cast<sockaddr*>(&there), &there_size) != 0)
    return std::nullopt;
  const std::string local = table_text(there), remote = table_text(here);
  if (local.empty()) return std::nullopt;
  return user_in(there.ss_family == AF_INET ? "/proc/self/net/tcp" : "/proc/self/net/tcp6", local, remote);
}

}  // namespace idlemeter::http
