// Idle Meter: where faces are kept: by name in the user's folder, with their past, and as bundles to share.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/face.hpp"
#include "idlemeter/settings.hpp"

namespace idlemeter {

/// $XDG_CONFIG_HOME/idlemeter/faces, else ~/.config/idlemeter/faces.
[[nodiscard]] std::filesystem::path usual_faces_folder();

/// A face that is kept: NAME.toml, or NAME/face.toml with pictures beside it.
struct KeptFace {
  std::string name;
  std::filesystem::path file;
};

/// All of a folder, by name; none where it isn't there.
[[nodiscard]] std::vector<KeptFace> kept_faces(const std::filesystem::path& folder);

/// The file of a kept face, or empty.
[[nodiscard]] std::optional<std::filesystem::path> kept_face(std::string_view name,
                                                             const std::filesystem::path& folder);

/// Which face a game gets: the first rule that fits its executable, else the default; empty where there is neither.
/// `rule` is the index in Settings::games.
struct ChosenFace {
  std::string face;
  std::optional<std::size_t> rule;
};
[[nodiscard]] std::optional<ChosenFace> face_for(const Settings& settings, const std::filesystem::path& executable);

/// The settings' text with this face as the default or, with a pattern, for the games that it fits; comments and order
/// stay. Throws Error where the text holds no settings.
[[nodiscard]] std::string with_face_chosen(const std::string& settings, std::string_view face,
                                           std::string_view program = {});

/// All pictures that a face shows, each once.
[[nodiscard]] std::vector<std::string> pictures_of(const Face& face);

/// Replaces a file in one step: it is the old one or the new one, never half. A link is followed. Throws Error.
void replace_file(const std::filesystem::path& file, std::string_view content);

/// A face file whose changes can be taken back. Texts that were replaced (at most 100) are kept in the user's state
/// folder. One thread at a time; every call throws Error where a file can't be read or written.
class FaceFile {
 public:
  /// `past`: the folder for what was replaced; empty: $XDG_STATE_HOME/idlemeter/faces, else ~/.local/state/….
  explicit FaceFile(std::filesystem::path file, std::filesystem::path past = {});

  [[nodiscard]] std::string text() const;

  /// Replaces the text; the one that was there, by whomever, can be had back.
  void write(const std::string& text);

  /// Takes the last write() back, or the last undo(). False where there is none.
  bool undo();
  bool redo();

 private:
  bool swap(const char* from, const char* to);

  std::filesystem::path file_, past_;
};

/// Writes a face and its pictures into one file, a ZIP archive with face.toml and PNGs. Throws Error where a part of it
/// can't be read, isn't a PNG or is too large (16 MiB, 8192 pixels a side), or where the bundle is there already.
void pack_face(const std::filesystem::path& face, const std::filesystem::path& bundle);

/// Unpacks a bundle as a kept face of that name and returns its face file. Everything is checked before anything is
/// written: names stay within the folder, only the face and the pictures that it shows are there, sizes are as above
/// and 64 MiB in all. Throws Error, with nothing written, where something is wrong or the name is taken.
std::filesystem::path unpack_face(const std::filesystem::path& bundle, std::string_view name,
                                  const std::filesystem::path& folder);

}  // namespace idlemeter
