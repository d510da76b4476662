#include "link/probe_end.hpp"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#include <new>

#include "base/local_socket.hpp"

namespace idlemeter::link {
namespace {

using namespace base;

constexpr Nanoseconds kLookEvery = kSecond, kAnswerEvery = 20 * kMillisecond, kGone = 10 * kSecond;

std::uint64_t inode_of(int fd) {
  struct statx about {};
  const bool known = ::statx(fd, "", AT_EMPTY_PATH, STATX_TYPE | STATX_INO, &about) == 0;
  return known && S_ISSOCK(about.stx_mode) ? about.stx_ino : 0;
}

}  // namespace

bool ProbeEnd::owns_socket() const { return socket_ >= 0 && inode_of(socket_) == socket_inode_; }

void ProbeEnd::drop() {
  if (owns_socket()) ::close(socket_);
  socket_ = -1;
  open_ring_ = nullptr;
  unmap(ring_);
  unmap(picture_);
}

void ProbeEnd::forget() {
  // The descriptor is this process's copy; the mappings are shared with the parent, who goes on writing.
  drop();
  next_look_ = {};
}

void ProbeEnd::connect() {
  if (*path_ == '\0') return;
  socket_ = connect_to(path_);
  if (socket_ < 0) return;
  socket_inode_ = inode_of(socket_);
  int fd = -1;
  ring_ = make_region("idlemeter-ring", sizeof(Ring), fd);
  if (ring_.data == nullptr) return drop();
  open_ring_ = new (ring_.data) Ring;
  driver_ = nullptr;
  const bool sent = send_greeting(socket_, kRingMagic, fd);
  ::close(fd);
  if (!sent) drop();
}

/// The meter's answer, once it has come.
void ProbeEnd::welcome() {
  if (!owns_socket()) return drop();
  int fd = -1;
  const Greeted greeted = receive_greeting(socket_, kPictureMagic, fd);
  if (greeted == Greeted::not_yet) return;
  if (greeted == Greeted::yes) picture_ = map_region(fd, kPictureBytes);
  const auto* picture = static_cast<const Picture*>(picture_.data);
  if (picture == nullptr || picture->magic != kPictureMagic || picture->version != kVersion) return drop();
  ++links_;
}

/// Once in a while: the socket shows whether the meter is still there.
void ProbeEnd::look_after(Moment time) {
  next_look_ = time + kLookEvery;
  if (socket_ < 0) connect();
  if (socket_ < 0) return;
  if (!linked()) {
    next_look_ = time + kAnswerEvery;
    return welcome();
  }
  const auto* picture = static_cast<const Picture*>(picture_.data);
  const Nanoseconds silence = time - picture->heartbeat.load(std::memory_order_relaxed);
  if (silence < kStale) return;
  if (!owns_socket()) {  // the game has closed it, so that only the silence tells a slow meter from one that has gone
    if (silence > kGone) drop();
    return;
  }
  char byte = 0;
  const ssize_t got = ::recv(socket_, &byte, 1, MSG_DONTWAIT);
  const bool lost = got == 0 || (got < 0 && errno != EAGAIN && errno != EINTR);
  if (lost) drop();
}

/// Once, at the first present: the game may change its environment in another thread later.
void ProbeEnd::note_path() {
  const char* const path = ::getenv(kVariable);
  if (path != nullptr && ::strlen(path) < sizeof path_) ::strcpy(path_, path);
  knows_path_ = true;
}

void ProbeEnd::add(const FrameEntry& frame, const Graphics& graphics) {
  if (!knows_path_) note_path();
  last_ = frame.present;
  if (frame.present >= next_look_) look_after(frame.present);
  auto* ring = static_cast<Ring*>(ring_.data);
  if (ring == nullptr) return;
  ring->api = graphics.api;
  ring->api_major = graphics.major;
  ring->api_minor = graphics.minor;
  if (graphics.driver != driver_) ::strncpy(ring->driver, driver_ = graphics.driver, kDriverBytes - 1);
  const std::uint32_t written = ring->written.load(std::memory_order_relaxed);
  ring->entries[written % kRingCapacity] = frame;
  ring->written.store(written + 1, std::memory_order_release);
}

void ProbeEnd::close() {
  if (Ring* const ring = open_ring_) ring->closed.store(1, std::memory_order_relaxed);
}

Shown ProbeEnd::picture() const {
  const auto* picture = static_cast<const Picture*>(picture_.data);
  if (picture == nullptr || picture->visible.load(std::memory_order_relaxed) == 0) return {};
  if (last_ - picture->heartbeat.load(std::memory_order_relaxed) > kStale) return {};
  const std::uint32_t sequence = picture->sequence.load(std::memory_order_acquire);
  const Slot slot = picture->slots[sequence % 2];  // a copy: the meter may change its own at any time
  const std::uint64_t bytes = std::uint64_t{slot.width} * slot.height * 4;
  const bool right = sequence != 0 && bytes > 0 && slot.width <= 16384 && slot.height <= 16384 && bytes <= kSlotBytes &&
                     slot.x > -32768 && slot.x < 32768 && slot.y > -32768 && slot.y < 32768;
  if (!right) return {};
  const auto* start = static_cast<const unsigned char*>(picture_.data);
  return {id_of(sequence), slot, start + kPixelsAt + (sequence % 2) * kSlotBytes};
}

bool ProbeEnd::still_whole(std::uint64_t id) const {
  const auto* picture = static_cast<const Picture*>(picture_.data);
  return picture != nullptr && id_of(picture->sequence.load(std::memory_order_acquire)) == id;
}

}  // namespace idlemeter::link
