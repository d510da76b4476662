// Whole files, read and written in one go.
#pragma once

#include <cstddef>
#include <filesystem>
#include <string>
#include <string_view>

namespace idlemeter {

/// What a file holds, or why it can't be read: "No such file or directory", "is not a regular file".
struct FileBytes {
  std::string bytes;
  std::string problem;  ///< empty if it was read
};

/// The whole of a regular file of at most `most` bytes. Never waits: pipes, sockets, devices and folders are refused
/// before anything is read.
FileBytes read_regular_file(const std::filesystem::path& file, std::size_t most);

/// Writes all of it. A regular file, or one that isn't there yet, is replaced in one step and synced: it is the old one
/// or the new one, never half, and keeps its permissions. A symbolic link stays, and the file it names is written. A
/// device or a pipe is written into. Makes no folders. Returns "" or what went wrong ("No space left on device").
[[nodiscard]] std::string write_whole_file(const std::filesystem::path& file, std::string_view bytes);

/// The same, with its folders made. Throws Error.
void replace_file(const std::filesystem::path& file, std::string_view content);

}  // namespace idlemeter
