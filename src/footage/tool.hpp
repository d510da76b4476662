// FFmpeg's programs, run beside this one.
#pragma once

#include <sys/types.h>

#include <cstddef>
#include <span>
#include <string>
#include <vector>

namespace idlemeter::footage {

/// One that runs. Its output and what it complains of are kept in memory. Ended with this object.
class Tool {
 public:
  struct Options {
    bool takes_input = false;
    int output = -1;  ///< a file that it may write to as "/proc/self/fd/3"
  };

  /// Throws Error if there is no such program.
  Tool(const std::string& program, const std::vector<std::string>& arguments, const Options& options);
  Tool(const Tool&) = delete;
  Tool& operator=(const Tool&) = delete;
  ~Tool();

  /// Waits until it has taken them. False if it takes no more.
  bool write(std::span<const std::byte> bytes);

  /// Ends its input and waits for it; its exit status.
  int finish();

  /// What it has printed, after finish().
  [[nodiscard]] std::string output() const;
  /// The last of what it has complained of, in one line.
  [[nodiscard]] std::string complaint() const;

 private:
  pid_t pid_ = 0;
  int input_ = -1, output_ = -1, errors_ = -1;
};

}  // namespace idlemeter::footage
