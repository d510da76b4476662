// The probe's end of the link: frames go out, pictures come in. Once linked, a frame costs no system call and no
// allocation; the meter may connect, disconnect, hang or send garbage at any time.
#pragma once

#include <sys/un.h>

#include <atomic>
#include <cstdint>

#include "link/handover.hpp"

namespace idlemeter::link {

/// What draws the game. The driver's text is compared by its address, so it has to stay where it is.
struct Graphics {
  Api api = Api::unknown;
  std::uint32_t major = 0, minor = 0;
  const char* driver = "";
};

/// A picture to show, valid until the next call.
struct Shown {
  std::uint64_t id = 0;  ///< of the picture, whichever meter it is of
  Slot slot;
  const unsigned char* pixels = nullptr;  ///< in memory that the meter writes to: see still_whole()
};

/// One for a process. The caller holds a lock of its own: one thread at a time.
class ProbeEnd {
 public:
  /// Stamps a present. Looks for the meter at the first one and then once a second while there is none.
  void add(const FrameEntry& frame, const Graphics& graphics);

  /// The process is exiting normally. Any thread, without the caller's lock: a swap may hold that for good, if it is
  /// the swap that exits.
  void close();

  /// A meter has answered.
  [[nodiscard]] bool linked() const { return picture_.data != nullptr; }

  /// The picture to show now; nullptr pixels if there is none, or the meter hides it or has fallen silent.
  [[nodiscard]] Shown picture() const;

  /// Whether the picture is still the one that was read: ask after its pixels were copied.
  [[nodiscard]] bool still_whole(std::uint64_t id) const;

  /// In a child after fork(): the link is its parent's.
  void forget();

 private:
  void note_path();
  void look_after(Moment time);
  void connect();
  void welcome();
  void drop();
  [[nodiscard]] bool owns_socket() const;
  [[nodiscard]] std::uint64_t id_of(std::uint32_t sequence) const { return links_ << 32 | sequence; }

  Mapping ring_, picture_;
  std::atomic<Ring*> open_ring_ = nullptr;         // for close()
  char path_[sizeof(sockaddr_un::sun_path)] = "";  // of the meter's socket
  bool knows_path_ = false;
  int socket_ = -1;
  std::uint64_t socket_inode_ = 0;  // a game may close all its descriptors, and get the number again for another file
  const char* driver_ = nullptr;    // as the ring has it
  std::uint64_t links_ = 0;         // how many meters there have been: each begins its pictures at 1
  Moment next_look_{}, last_{};
};

}  // namespace idlemeter::link
