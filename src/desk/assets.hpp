// The page's files, as the bundler made them.
#pragma once

#include <span>
#include <string_view>

namespace idlemeter::desk {

struct Asset {
  std::string_view path;  ///< "/desk.js"
  std::string_view type;
  std::string_view bytes;  ///< packed by gzip, but for the page itself
};

/// The page itself, "/index.html", first, with "NONCE" where a new word is to stand each time. Empty in a build without
/// npm.
[[nodiscard]] std::span<const Asset> assets();

}  // namespace idlemeter::desk
