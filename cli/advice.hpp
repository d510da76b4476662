// The command's own words for how an error is fixed.
#pragma once

#include <string>

#include "idlemeter/base/error.hpp"

namespace idlemeter::cli {

/// "WHERE: PROBLEM; FIX". The fix names an option or a command if one of them helps.
std::string message_of(const Error& error);

}  // namespace idlemeter::cli
