#!/usr/bin/env bash
# usage: core_links_without_display.sh PROGRAM: fails where a program that links the core alone wants a display library.
set -euo pipefail
if ldd "$1" | grep -Ei 'cairo|pango|libX|xcb|wayland|libGL|vulkan|freetype'; then
  echo "the core needs a display library"
  exit 1
fi
echo "$1 needs no display library"
