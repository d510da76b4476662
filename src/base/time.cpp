#include "idlemeter/base/time.hpp"

#include <time.h>

namespace idlemeter {

Nanoseconds monotonic_now() noexcept {
  timespec now{};
  ::clock_gettime(CLOCK_MONOTONIC, &now);
  return now.tv_sec * kSecond + now.tv_nsec;
}

}  // namespace idlemeter
