// How face files write pins.
#pragma once

#include "face/format/toml_reader.hpp"
#include "idlemeter/face/face.hpp"

namespace idlemeter::face {

void read_back(TableReader& table, Back& back);

Pin read_pin(TableReader& table);

}  // namespace idlemeter::face
