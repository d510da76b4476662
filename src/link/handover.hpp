// Sealed memory and how it is handed over a Unix socket. Nothing throws or allocates.
#pragma once

#include <cstddef>
#include <cstdint>

#include "link/regions.hpp"

namespace idlemeter::link {

/// A mapped region; not mapped: nullptr.
struct Mapping {
  void* data = nullptr;
  std::size_t size = 0;
};

/// New memory, mapped for writing here and sealed so that nobody else can write to it or change its size; `fd` gets the
/// descriptor to hand over. Not mapped if the system refuses.
Mapping make_region(const char* name, std::size_t size, int& fd);

/// Maps another's memory for reading; not mapped if its seals or its size aren't right, so that it can never be cut
/// short under the reader. Takes the descriptor.
Mapping map_region(int fd, std::size_t size);

void unmap(Mapping& mapping);

/// Sends a greeting with a descriptor; false if it didn't go at once.
bool send_greeting(int socket, std::uint32_t magic, int fd);

enum class Greeted { yes, not_yet, never };

/// Takes the other's greeting and its descriptor, without waiting.
Greeted receive_greeting(int socket, std::uint32_t magic, int& fd);

}  // namespace idlemeter::link
