// The meter's end of the link with one probe.
#pragma once

#include <sys/types.h>

#include <cstdint>
#include <string>
#include <vector>

#include "link/handover.hpp"

namespace idlemeter::link {

/// One thread at a time. Moves, doesn't copy.
class MeterEnd {
 public:
  /// Takes a socket that a probe has connected to, not blocking.
  explicit MeterEnd(int socket);
  MeterEnd(MeterEnd&& other) noexcept;
  MeterEnd& operator=(MeterEnd&& other) noexcept;
  ~MeterEnd();

  [[nodiscard]] int socket() const { return socket_; }
  [[nodiscard]] pid_t pid() const { return pid_; }

  /// Call when the socket has something to read. False if the probe is gone, isn't of this user, or says nothing
  /// sensible: it is of no more use then, but for the frames that it has written.
  [[nodiscard]] bool receive();

  [[nodiscard]] bool linked() const { return ring_.data != nullptr; }

  /// Takes the frames that have come since the last call. Returns how many were overwritten before they could be read.
  std::uint32_t drain(std::vector<FrameEntry>& into);

  struct Graphics {
    Api api = Api::unknown;
    std::uint32_t major = 0, minor = 0;
    std::string driver = {};  ///< its name and version
  };
  [[nodiscard]] Graphics graphics() const;

  /// Whether the process has announced a normal exit.
  [[nodiscard]] bool is_closed() const;

  /// Where the next picture's pixels go; it can hold kSlotBytes. nullptr if there is no link.
  [[nodiscard]] unsigned char* begin_picture();

  /// Shows what was written since begin_picture().
  void publish(const Slot& slot);

  void show(bool visible);
  void beat(Moment time);

 private:
  [[nodiscard]] Picture* picture() { return static_cast<Picture*>(picture_.data); }

  int socket_ = -1;
  pid_t pid_ = 0;
  Mapping ring_, picture_;
  std::uint32_t read_ = 0;
};

}  // namespace idlemeter::link
