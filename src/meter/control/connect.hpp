// The way to a running meter.
#pragma once

#include <filesystem>

namespace idlemeter::meter {

/// A socket connected to a meter's control socket, not blocking. The caller closes it. Throws Error if nobody listens
/// there within two seconds.
[[nodiscard]] int connect_to_meter(const std::filesystem::path& control_socket);

}  // namespace idlemeter::meter
