// Idle Meter: a face and its pictures in one file, to share.
#pragma once

#include <filesystem>
#include <string_view>

namespace idlemeter {

/// Writes a face and its pictures into one file, a ZIP archive with face.toml and PNGs. Throws Error if a part of it
/// can't be read, isn't a PNG or is too large (16 MiB, 8192 pixels a side), or if the bundle already exists.
void pack_face(const std::filesystem::path& face, const std::filesystem::path& bundle);

/// Unpacks a bundle as a kept face of that name and returns its face file. Everything is checked before anything is
/// written: names stay within the folder, only the face and the pictures that it shows are there, sizes are as above
/// and 64 MiB in all. Throws Error, with nothing written, if something is wrong or the name is taken.
[[nodiscard]] std::filesystem::path unpack_face(const std::filesystem::path& bundle, std::string_view name,
                                                const std::filesystem::path& folder);

}  // namespace idlemeter
