#include "link/meter_end.hpp"

#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <new>
#include <utility>

#include "base/local_socket.hpp"

namespace idlemeter::link {

using namespace base;

MeterEnd::MeterEnd(int socket) : socket_(socket) {
  ucred peer{};
  socklen_t size = sizeof peer;
  if (::getsockopt(socket, SOL_SOCKET, SO_PEERCRED, &peer, &size) == 0) pid_ = peer.pid;
}

MeterEnd::MeterEnd(MeterEnd&& other) noexcept { *this = std::move(other); }

MeterEnd& MeterEnd::operator=(MeterEnd&& other) noexcept {
  std::swap(socket_, other.socket_);
  std::swap(pid_, other.pid_);
  std::swap(ring_, other.ring_);
  std::swap(picture_, other.picture_);
  std::swap(read_, other.read_);
  return *this;
}

MeterEnd::~MeterEnd() {
  if (socket_ >= 0) ::close(socket_);
  unmap(ring_);
  unmap(picture_);
}

bool MeterEnd::receive() {
  if (linked()) {  // a probe has nothing more to say: this is its end
    char byte = 0;
    return ::recv(socket_, &byte, 1, MSG_DONTWAIT) < 0 && (errno == EAGAIN || errno == EINTR);
  }
  if (!peer_is_this_user(socket_)) return false;
  int fd = -1;
  const Greeted greeted = receive_greeting(socket_, kRingMagic, fd);
  if (greeted != Greeted::yes) return greeted == Greeted::not_yet;
  ring_ = map_region(fd, sizeof(Ring));
  const auto* ring = static_cast<const Ring*>(ring_.data);
  const bool right = ring != nullptr && ring->magic == kRingMagic && ring->version == kVersion &&
                     ring->capacity == kRingCapacity && ring->entry_size == sizeof(FrameEntry);
  int own = -1;
  if (right) picture_ = make_region("idlemeter-picture", kPictureBytes, own);
  if (picture_.data == nullptr) {
    unmap(ring_);
    return false;
  }
  new (picture_.data) Picture;
  const bool sent = send_greeting(socket_, kPictureMagic, own);
  ::close(own);
  return sent;
}

std::uint32_t MeterEnd::drain(std::vector<FrameEntry>& into) {
  const auto* ring = static_cast<const Ring*>(ring_.data);
  if (ring == nullptr) return 0;
  // What is about to be overwritten isn't read; one that was while it was copied is thrown away.
  constexpr std::uint32_t kSafe = kRingCapacity - 1024;
  std::uint32_t lost = 0;
  const std::uint32_t written = ring->written.load(std::memory_order_acquire);
  if (written - read_ > kSafe) {
    lost = written - read_ - kSafe;
    read_ = written - kSafe;
  }
  const std::size_t first = into.size();
  for (; read_ != written; ++read_) into.push_back(ring->entries[read_ % kRingCapacity]);
  std::atomic_thread_fence(std::memory_order_acquire);
  const std::uint32_t newest = ring->written.load(std::memory_order_relaxed);
  const std::uint32_t taken = static_cast<std::uint32_t>(into.size() - first), start = written - taken;
  if (newest - start >= kRingCapacity) {  // the entry of `newest` may be half written
    const std::uint32_t torn = std::min(taken, newest - start - kRingCapacity + 1);
    into.erase(into.begin() + static_cast<std::ptrdiff_t>(first),
               into.begin() + static_cast<std::ptrdiff_t>(first + torn));
    lost += torn;
  }
  return lost;
}

MeterEnd::Graphics MeterEnd::graphics() const {
  const auto* ring = static_cast<const Ring*>(ring_.data);
  if (ring == nullptr) return {};
  const Api api = ring->api;
  return {api <= Api::vulkan ? api : Api::unknown, ring->api_major % 100, ring->api_minor % 100,
          std::string(ring->driver, ::strnlen(ring->driver, kDriverBytes))};
}

bool MeterEnd::is_closed() const {
  const auto* ring = static_cast<const Ring*>(ring_.data);
  return ring != nullptr && ring->closed.load(std::memory_order_relaxed) != 0;
}

unsigned char* MeterEnd::begin_picture() {
  if (picture() == nullptr) return nullptr;
  const std::uint32_t next = picture()->sequence.load(std::memory_order_relaxed) + 1;
  return static_cast<unsigned char*>(picture_.data) + kPixelsAt + (next % 2) * kSlotBytes;
}

void MeterEnd::publish(const Slot& slot) {
  if (picture() == nullptr) return;
  std::uint32_t next = picture()->sequence.load(std::memory_order_relaxed) + 1;
  picture()->slots[next % 2] = slot;
  if (next == 0) next = 2;  // after 2^32 pictures: 0 means none, and the slot stays
  picture()->sequence.store(next, std::memory_order_release);
}

void MeterEnd::show(bool visible) {
  if (picture() != nullptr) picture()->visible.store(visible ? 1 : 0, std::memory_order_relaxed);
}

void MeterEnd::beat(Moment time) {
  if (picture() != nullptr) picture()->heartbeat.store(time, std::memory_order_relaxed);
}

}  // namespace idlemeter::link
