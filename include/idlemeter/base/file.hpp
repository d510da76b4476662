// Whole files, read and written in one go.
#pragma once

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <span>
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
[[nodiscard]] FileBytes read_regular_file(const std::filesystem::path& file, std::size_t most);

/// What a file is for, as far as losing it would hurt.
enum class FileKind : std::uint8_t {
  other,
  store,     ///< a SQLite database
  toml,      ///< a face, or another file written by hand
  bundle,    ///< a packed face
  run_file,  ///< runs as JSON
};

/// True for the beginning of a run file, however its JSON is spaced.
[[nodiscard]] bool begins_run_file(std::string_view bytes);

/// By its first bytes and its name. `other` if there is no regular file.
[[nodiscard]] FileKind kind_of_file(const std::filesystem::path& file);

/// Throws Error (exists) if writing a file of that kind to `output` would replace a store, a face or a run file by
/// something else, or if `output` is one of the inputs: the same file, also through a link.
void expect_replaceable(const std::filesystem::path& output, FileKind writes = FileKind::other,
                        std::span<const std::filesystem::path> inputs = {});

/// Writes all of it. A regular file, or one that doesn't exist yet, is replaced in one step and synced: it is the old
/// one or the new one, never half, and keeps its permissions. A symbolic link stays, and the file it names is written.
/// A device or a pipe is written into. Makes no folders. Returns "" or what went wrong ("No space left on device").
[[nodiscard]] std::string write_whole_file(const std::filesystem::path& file, std::string_view bytes);

/// The same, with its folders made, after expect_replaceable(). Throws Error.
void replace_file(const std::filesystem::path& file, std::string_view content, FileKind writes = FileKind::other);

}  // namespace idlemeter
