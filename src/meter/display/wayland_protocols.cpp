// What wayland-scanner makes of the protocols' descriptions: the headers first, they give what follows its linkage.
#include "viewporter-client.h"
#include "xdg-output-unstable-v1-client.h"

// clang-format off
#include "viewporter-code.h"
#include "xdg-output-unstable-v1-code.h"
// clang-format on
