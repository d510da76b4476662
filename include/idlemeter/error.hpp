// Idle Meter: what a call throws when it cannot do its work.
#pragma once

#include <stdexcept>
#include <string>

namespace idlemeter {

/// A failure that a person can mend. `what()` reads "WHERE: WHAT; MEND", parts that are empty left out:
/// "runs.db: not an Idle Meter store (file is not a database); name another file with --store".
///
/// Thrown while something is set up (a file is opened, a face is read). The running loop never throws: a source that
/// fails is a reading that is missing, with its reason.
class Error : public std::runtime_error {
 public:
  explicit Error(const std::string& problem, const std::string& where = {}, const std::string& mend = {})
      : std::runtime_error((where.empty() ? "" : where + ": ") + problem + (mend.empty() ? "" : "; " + mend)) {}
};

}  // namespace idlemeter
