// What the probes use of the C++ library that would bring exceptions along, whose unwinder asks for the newest C
// library. Here all of it ends the program at once: a game may run in a container with an older C library.
#include <stdlib.h>

#include <atomic>
#include <new>

void* operator new(std::size_t size) {
  void* memory = ::malloc(size == 0 ? 1 : size);
  if (memory == nullptr) ::abort();
  return memory;
}
void operator delete(void* memory) noexcept { ::free(memory); }
void operator delete(void* memory, std::size_t) noexcept { ::free(memory); }

namespace std {
[[noreturn]] void __throw_bad_alloc() { ::abort(); }
[[noreturn]] void __throw_bad_array_new_length() { ::abort(); }
[[noreturn]] void __throw_length_error(const char*) { ::abort(); }
[[noreturn]] void __throw_out_of_range(const char*) { ::abort(); }
[[noreturn]] void __throw_system_error(int) { ::abort(); }
[[noreturn]] void __glibcxx_assert_fail(const char*, int, const char*, const char*) noexcept { ::abort(); }
}  // namespace std

/// The guard of a static inside of a function, as the Itanium C++ ABI (3.3.3) has it: its first byte is 1 once it is
/// initialised. The second one is ours: another thread is at it.
extern "C" int __cxa_guard_acquire(std::atomic<unsigned char>* guard) {
  while (guard[1].exchange(1, std::memory_order_acquire) != 0) {
    if (guard[0].load(std::memory_order_acquire) != 0) return 0;
  }
  if (guard[0].load(std::memory_order_acquire) == 0) return 1;
  guard[1].store(0, std::memory_order_release);
  return 0;
}
extern "C" void __cxa_guard_release(std::atomic<unsigned char>* guard) {
  guard[0].store(1, std::memory_order_release);
  guard[1].store(0, std::memory_order_release);
}
