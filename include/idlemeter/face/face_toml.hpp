// Idle Meter: faces as TOML, read and written.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/finding.hpp"
#include "idlemeter/face/face.hpp"

namespace idlemeter {

/// All that a text holds, or all that is wrong with it.
struct FaceParse {
  std::optional<Face> face;  ///< empty if any finding is an error
  std::vector<Finding> findings;
};

/// Reads a face; never throws on what the text holds. A text that isn't TOML has one finding, anything else all of
/// them.
[[nodiscard]] FaceParse parse_face(std::string_view toml);

/// The face as a file; parse_face() makes the same face of it, but for its folder and lines. What has its default isn't
/// written.
[[nodiscard]] std::string to_toml(const Face& face);

/// Reads a face file. Throws Error with every error in it, a line each, or saying that it can't be read.
[[nodiscard]] Face load_face(const std::filesystem::path& file);

}  // namespace idlemeter
