// The code that wayland-scanner generates. The headers come first: they declare the linkage.
#include "viewporter-client.h"
#include "xdg-output-unstable-v1-client.h"

// clang-format off
#include "viewporter-code.h"
#include "xdg-output-unstable-v1-code.h"
// clang-format on
