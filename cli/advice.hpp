// The command's own words for how an error is fixed.
#pragma once

#include <string>

#include "idlemeter/base/error.hpp"

namespace idlemeter::cli {

/// "WHERE: PROBLEM; FIX": with the option or command that fixes it, where there is one.
std::string message_of(const Error& error);

}  // namespace idlemeter::cli
