#!/usr/bin/env bash
# usage: other_roots.sh FOLDER: makes below FOLDER, unless they are there, what the tests of other places play in: i386, the 32-bit
# libraries and Wine of Debian 12; older, programs of Debian 11, whose C library is 2.31; flatpak, an installation with a game on that; the
# tests' games for 32 bit and for Windows, and a Windows folder of either word size. Nothing is installed in the system.
set -euo pipefail
sources=$(cd "$(dirname "$0")" && pwd)
folder=$1
mkdir -p "$folder" && cd "$folder"
unpack() {  # name, suite, architecture, packages
  [ "$(cat "$1/made" 2>/dev/null)" != "$4" ] || return 0
  for _ in 1 2 3; do  # a mirror may be in the middle of an update
    rm -rf --one-file-system "$1"
    mmdebstrap --quiet --variant=extract --arch="$3" --include="$4" "$2" "$1" "deb http://deb.debian.org/debian $2 main" 2>"$1.log" &&
      echo "$4" >"$1/made" && return 0
    sleep 5
  done
  cat "$1.log" >&2
  return 1
}
unpack older bullseye amd64 base-files,mesa-utils,mesa-utils-extra,libgl1-mesa-dri,libegl1 &
unpack i386 bookworm i386 mesa-utils,vulkan-tools,mesa-vulkan-drivers,libgl1-mesa-dri,libegl1,libsdl2-2.0-0,base-files,wine32
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

# An application store with a platform, the older one's /usr, and a game on it.
if [ ! -e flatpak/made ]; then
  rm -rf flatpak platform game store
  mkdir -p platform/files platform/usr game/files game/export store/{objects,tmp,state} store/refs/{heads,remotes,mirrors}
  cp -al older/usr/. platform/usr/
  for part in lib lib64; do mkdir -p "platform/usr/$part" && cp -al "older/$part/." "platform/usr/$part/"; done
  printf '[core]\nrepo_version=1\nmode=bare-user-only\n' >store/config
  printf '[Runtime]\nname=rally.tidepool.Platform\n' >platform/metadata
  printf '[Application]\nname=rally.tidepool.Gears\nruntime=rally.tidepool.Platform/x86_64/master\ncommand=glxgears\n%s' \
    $'\n[Context]\nshared=ipc;\nsockets=x11;\n' >game/metadata
  flatpak build-export --runtime store platform >/dev/null
  flatpak build-export store game >/dev/null
  export FLATPAK_USER_DIR=$PWD/flatpak HOME=$PWD
  flatpak --user remote-add --no-gpg-verify tidepool store
  flatpak --user install -y --noninteractive tidepool rally.tidepool.Platform//master rally.tidepool.Gears >/dev/null
  rm -rf platform game store
  touch flatpak/made
fi

for kind in x86_64:64 i686:32; do
  "${kind%:*}-w64-mingw32-g++-posix" -std=c++20 -O1 -static "$sources/still_windows.cpp" -o "still_windows.${kind#*:}.exe" \
    -lopengl32 -lgdi32 -ld3d9 -ld3d11 -ldxgi -luuid
done
export WINEDEBUG=-all WINEDLLOVERRIDES=mscoree,mshtml= HOME=$PWD
[ -e wine.64 ] || { WINEPREFIX=$PWD/wine.64.new wineboot -u && WINEPREFIX=$PWD/wine.64.new wineserver -w && mv wine.64.new wine.64; }
# What the package of the 32-bit one does at installation: it marks a library of another package as Wine's own.
dll=i386/usr/lib/i386-linux-gnu/wine/i386-windows/zlib1.dll source=i386/usr/i686-w64-mingw32/lib/zlib1.dll
{ head -c 64 $source && printf 'Wine builtin DLL\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0' && tail -c +97 $source; } >"$dll"
