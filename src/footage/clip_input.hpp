// How FFmpeg is given a clip.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace idlemeter::footage {

/// The words that name a clip as an input: only that file is opened, whatever it refers to.
[[nodiscard]] std::vector<std::string> clip_input(const std::filesystem::path& file);

}  // namespace idlemeter::footage
