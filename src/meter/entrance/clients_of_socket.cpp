#include "meter/entrance/clients_of_socket.hpp"

#include <fmt/format.h>
#include <linux/netlink.h>
#include <linux/rtnetlink.h>
#include <linux/sock_diag.h>
#include <linux/unix_diag.h>
#include <netinet/tcp.h>
#include <sys/socket.h>
#include <sys/time.h>
#include <unistd.h>

#include <array>
#include <cstdlib>
#include <cstring>
#include <string_view>

namespace idlemeter::meter {
namespace {

struct Question {
  nlmsghdr header;
  unix_diag_req about;
};

/// The server's end of a connection is named by the path; its peer is the client's end.
void take_client(nlmsghdr* message, std::string_view path, std::set<ino_t>& clients) {
  auto* const about = static_cast<unix_diag_msg*>(NLMSG_DATA(message));
  int length = static_cast<int>(message->nlmsg_len) - static_cast<int>(NLMSG_LENGTH(sizeof *about));
  bool is_servers = false;
  std::uint32_t peer = 0;
  for (auto* part = reinterpret_cast<rtattr*>(about + 1); RTA_OK(part, length); part = RTA_NEXT(part, length)) {
    const auto* const value = static_cast<const char*>(RTA_DATA(part));
    const std::size_t size = RTA_PAYLOAD(part);
    if (part->rta_type == UNIX_DIAG_NAME)
      is_servers =
          std::string_view(value, size).starts_with(path) && (size == path.size() || value[path.size()] == '\0');
    if (part->rta_type == UNIX_DIAG_PEER && size >= sizeof peer) std::memcpy(&peer, value, sizeof peer);
  }
  if (is_servers && peer != 0) clients.insert(peer);
}

}  // namespace

std::set<ino_t> clients_of_socket(const std::filesystem::path& path) {
  std::set<ino_t> clients;
  if (path.empty()) return clients;
  const int fd = ::socket(AF_NETLINK, SOCK_RAW | SOCK_CLOEXEC, NETLINK_SOCK_DIAG);
  if (fd < 0) return clients;
  const timeval patience{.tv_sec = 1, .tv_usec = 0};
  ::setsockopt(fd, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
  Question question{};
  question.header.nlmsg_len = sizeof question;
  question.header.nlmsg_type = SOCK_DIAG_BY_FAMILY;
  question.header.nlmsg_flags = NLM_F_REQUEST | NLM_F_DUMP;
  question.about.sdiag_family = AF_UNIX;
  question.about.udiag_states = 1u << TCP_ESTABLISHED;
  question.about.udiag_show = UDIAG_SHOW_NAME | UDIAG_SHOW_PEER;
  bool goes_on = ::send(fd, &question, sizeof question, 0) == sizeof question;
  alignas(nlmsghdr) std::array<char, 32768> buffer;
  while (goes_on) {
    const ssize_t got = ::recv(fd, buffer.data(), buffer.size(), 0);
    if (got <= 0) break;
    auto rest = static_cast<unsigned>(got);
    for (auto* message = reinterpret_cast<nlmsghdr*>(buffer.data()); NLMSG_OK(message, rest);
         message = NLMSG_NEXT(message, rest)) {
      goes_on = message->nlmsg_type != NLMSG_DONE && message->nlmsg_type != NLMSG_ERROR;
      if (!goes_on) break;
      if (message->nlmsg_len >= NLMSG_LENGTH(sizeof(unix_diag_msg))) take_client(message, path.native(), clients);
    }
  }
  ::close(fd);
  return clients;
}

bool has_any_socket(int pid, const std::set<ino_t>& sockets) {
  std::error_code gone;
  for (const auto& entry : std::filesystem::directory_iterator(fmt::format("/proc/{}/fd", pid), gone)) {
    constexpr std::string_view kSocket = "socket:[";
    const std::string target = std::filesystem::read_symlink(entry.path(), gone).string();
    if (target.starts_with(kSocket) && sockets.contains(std::strtoul(target.c_str() + kSocket.size(), nullptr, 10)))
      return true;
  }
  return false;
}

}  // namespace idlemeter::meter
