// Idle Meter: what a call throws when it cannot do its work.
#pragma once

#include <cstdint>
#include <stdexcept>
#include <string>

namespace idlemeter {

/// A failure that a person can fix. `what()` reads "WHERE: WHAT; FIX", without the parts that are empty:
/// "runs.db: not an Idle Meter store (file is not a database); name another file with --store".
///
/// Thrown while something is set up (a file is opened, a face is read). The running loop never throws: a source that
/// fails is a reading that is missing, with its reason.
class Error : public std::runtime_error {
 public:
  /// What a program may want to know of it; the words are for people.
  enum class Code : std::uint8_t {
    other,       ///< none of these
    invalid,     ///< a text or a value can't be right: a face, an option, a formula
    not_found,   ///< there is no such file, face, run, meter
    exists,      ///< it would overwrite something
    unreadable,  ///< a file can't be read, or isn't what it should be
    unwritable,  ///< a file can't be written
    in_use,      ///< another program has it: a store that stays locked, a socket
    damaged,     ///< a store that was one and can't be read any further
    newer,       ///< made by a newer version
    moved        ///< a store that was moved, replaced or removed while it was in use
  };

  explicit Error(const std::string& problem, const std::string& where = {}, const std::string& fix = {})
      : Error(Code::other, problem, where, fix) {}

  Error(Code code, const std::string& problem, const std::string& where = {}, const std::string& fix = {})
      : std::runtime_error((where.empty() ? "" : where + ": ") + problem + (fix.empty() ? "" : "; " + fix)),
        code_(code) {}

  [[nodiscard]] Code code() const noexcept { return code_; }

 private:
  Code code_;
};

}  // namespace idlemeter
