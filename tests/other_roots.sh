#!/usr/bin/env bash
# usage: other_roots.sh FOLDER: makes below FOLDER, unless they are there, what the tests of other places play in: i386, the 32-bit
# libraries of Debian 12, with the tests' games built for them; older, programs of Debian 11, whose C library is 2.31. Nothing is installed.
set -euo pipefail
sources=$(cd "$(dirname "$0")" && pwd)
folder=$1
mkdir -p "$folder" && cd "$folder"
unpack() {  # name, suite, architecture, packages
  [ ! -e "$1/made" ] || return 0
  for _ in 1 2 3; do  # a mirror may be in the middle of an update
    rm -rf --one-file-system "$1"
    mmdebstrap --quiet --variant=extract --arch="$3" --include="$4" "$2" "$1" "deb http://deb.debian.org/debian $2 main" 2>"$1.log" &&
      touch "$1/made" && return 0
    sleep 5
  done
  cat "$1.log" >&2
  return 1
}
unpack older bullseye amd64 base-files,mesa-utils,mesa-utils-extra,libgl1-mesa-dri,libegl1 &
unpack i386 bookworm i386 mesa-utils,vulkan-tools,mesa-vulkan-drivers,libgl1-mesa-dri,libegl1,libsdl2-2.0-0
wait $!
libraries=i386/usr/lib/i386-linux-gnu
for game in still_game still_vulkan; do
  g++ -m32 -std=c++20 -O1 -I/usr/include/x86_64-linux-gnu "$sources/$game.cpp" -o "$game.32" $libraries/libSDL2-2.0.so.0 \
    $libraries/libvulkan.so.1 -Wl,--allow-shlib-undefined
done
# As an installation of the 32-bit libraries would be found.
sed "s#/usr/lib#$PWD/i386/usr/lib#" i386/usr/share/vulkan/icd.d/lvp_icd.i686.json >lavapipe.json
cat >in_32_bit <<END
#!/bin/sh
exec env LD_LIBRARY_PATH=$PWD/$libraries:$PWD/$libraries/pulseaudio:$PWD/i386/lib/i386-linux-gnu LIBGL_DRIVERS_PATH=$PWD/$libraries/dri \\
  VK_DRIVER_FILES=$PWD/lavapipe.json "\$@"
END
chmod +x in_32_bit
