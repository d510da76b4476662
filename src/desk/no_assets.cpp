// A build without npm, which fetches what the page is made of.
#include "desk/assets.hpp"

namespace idlemeter::desk {

std::span<const Asset> assets() { return {}; }

}  // namespace idlemeter::desk
