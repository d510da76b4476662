#include "link/handover.hpp"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#ifndef F_SEAL_FUTURE_WRITE
#define F_SEAL_FUTURE_WRITE 0x0010
#endif

namespace idlemeter::link {
namespace {

constexpr int kSeals = F_SEAL_SHRINK | F_SEAL_GROW | F_SEAL_FUTURE_WRITE | F_SEAL_SEAL;

/// A greeting with room for descriptors beside it: more than one, so that a peer's surplus is seen and closed.
struct Message {
  Message() {
    header.msg_iov = &part;
    header.msg_iovlen = 1;
    header.msg_control = control;
    header.msg_controllen = sizeof control;
  }
  Message(const Message&) = delete;
  Message& operator=(const Message&) = delete;

  Greeting greeting;
  alignas(cmsghdr) char control[CMSG_SPACE(8 * sizeof(int))] = {};
  iovec part{&greeting, sizeof greeting};
  msghdr header{};
};

}  // namespace

Mapping make_region(const char* name, std::size_t size, int& fd) {
  fd = ::memfd_create(name, MFD_CLOEXEC | MFD_ALLOW_SEALING);
  if (fd < 0) return {};
  void* data = MAP_FAILED;
  if (::ftruncate(fd, static_cast<off_t>(size)) == 0)
    data = ::mmap(nullptr, size, PROT_READ | PROT_WRITE, MAP_SHARED, fd, 0);
  if (data != MAP_FAILED && ::fcntl(fd, F_ADD_SEALS, kSeals) == 0) return {data, size};
  if (data != MAP_FAILED) ::munmap(data, size);
  ::close(fd);
  fd = -1;
  return {};
}

Mapping map_region(int fd, std::size_t size) {
  struct statx about {};
  const bool right = ::statx(fd, "", AT_EMPTY_PATH, STATX_SIZE, &about) == 0 && about.stx_size == size &&
                     (::fcntl(fd, F_GET_SEALS) & kSeals) == kSeals;
  void* data = right ? ::mmap(nullptr, size, PROT_READ, MAP_SHARED, fd, 0) : MAP_FAILED;
  ::close(fd);
  return data == MAP_FAILED ? Mapping{} : Mapping{data, size};
}

void unmap(Mapping& mapping) {
  if (mapping.data != nullptr) ::munmap(mapping.data, mapping.size);
  mapping = {};
}

bool send_greeting(int socket, std::uint32_t magic, int fd) {
  Message message;
  message.greeting.magic = magic;
  message.header.msg_controllen = CMSG_SPACE(sizeof(int));
  cmsghdr* header = CMSG_FIRSTHDR(&message.header);
  header->cmsg_level = SOL_SOCKET;
  header->cmsg_type = SCM_RIGHTS;
  header->cmsg_len = CMSG_LEN(sizeof(int));
  ::memcpy(CMSG_DATA(header), &fd, sizeof fd);
  return ::sendmsg(socket, &message.header, MSG_NOSIGNAL | MSG_DONTWAIT) == static_cast<ssize_t>(sizeof(Greeting));
}

namespace {

/// Calls back with each descriptor that came with a message. The kernel has closed those without room.
template <typename Take>
void for_each_descriptor(msghdr& message, Take take) {
  for (cmsghdr* header = CMSG_FIRSTHDR(&message); header != nullptr; header = CMSG_NXTHDR(&message, header)) {
    if (header->cmsg_level != SOL_SOCKET || header->cmsg_type != SCM_RIGHTS) continue;
    const std::size_t count = (header->cmsg_len - CMSG_LEN(0)) / sizeof(int);
    for (std::size_t i = 0; i < count; ++i) {
      int fd = -1;
      ::memcpy(&fd, CMSG_DATA(header) + i * sizeof fd, sizeof fd);
      take(fd);
    }
  }
}

}  // namespace

Greeted receive_greeting(int socket, std::uint32_t magic, int& fd) {
  Message message;
  const ssize_t got = ::recvmsg(socket, &message.header, MSG_DONTWAIT | MSG_CMSG_CLOEXEC);
  if (got < 0 && (errno == EAGAIN || errno == EINTR)) return Greeted::not_yet;
  fd = -1;
  int came = 0;
  if (got > 0) for_each_descriptor(message.header, [&](int one) { fd = ++came == 1 ? one : fd; });
  const bool right = got == static_cast<ssize_t>(sizeof(Greeting)) && message.greeting.magic == magic &&
                     message.greeting.version == kVersion && came == 1;
  if (right) return Greeted::yes;
  if (got > 0) for_each_descriptor(message.header, [](int one) { ::close(one); });
  fd = -1;
  return Greeted::never;
}

}  // namespace idlemeter::link
