// A face as the page needs it.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "desk/wire.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/draw/face_preview.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/file_keys.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter::desk {

/// Tells texts apart.
[[nodiscard]] std::string version_of(const std::string& text);

/// The keys of a face file, as they stand in it; an empty object if it isn't TOML.
[[nodiscard]] Json keys_in(const std::string& toml);

/// Rows with their cells, and pins, under the names that FaceText knows, with their readings' ids and titles.
[[nodiscard]] Json parts_of(const Face& face, const Snapshot& values);

/// Each with the part that it is about: the last one that begins at its line or before.
[[nodiscard]] Json to_json(const std::vector<Finding>& findings, const Face* face);

/// Where a preview's parts are, and what can't be shown.
[[nodiscard]] Json scene_json(const FacePreview& preview);

/// Keys of a file of ours, for forms.
[[nodiscard]] Json keys_json(std::span<const FileKey> keys);

/// The table of the keys that a face may have, for forms.
[[nodiscard]] Json key_table_json();

}  // namespace idlemeter::desk
