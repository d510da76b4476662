// How the keys of a file are written down.
#pragma once

#include <string_view>
#include <utility>
#include <vector>

#include "idlemeter/face/file_keys.hpp"

namespace idlemeter::face {

inline FileKey in_range(FileKey key, double least, double most) {
  key.least = least;
  key.most = most;
  return key;
}

inline FileKey with_choices(FileKey key, std::vector<std::string_view> choices) {
  key.choices = std::move(choices);
  return key;
}

inline FileKey for_ways(FileKey key, std::vector<std::string_view> ways) {
  key.ways = std::move(ways);
  return key;
}

}  // namespace idlemeter::face
