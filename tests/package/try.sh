#!/usr/bin/env bash
# usage: try.sh CMAKE BUILD WORK: installs BUILD below WORK and builds projects against it, by CMake and by pkg-config: one with all of the
# library, and the README's first program, which links neither a display nor sound nor TLS.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd) cmake=$1 build=$2 work=$3
root=$here/../..
rm -rf "$work" && mkdir -p "$work"
"$cmake" --install "$build" --prefix "$work/prefix" >/dev/null
for components in "" core; do
  "$cmake" -G Ninja -S "$here" -B "$work/build$components" -DCMAKE_PREFIX_PATH="$work/prefix" -DCOMPONENTS=$components >/dev/null
  "$cmake" --build "$work/build$components" >/dev/null
done
"$work/build/outside"
config=$(dirname "$(find "$work/prefix" -name idlemeter.pc)")
export PKG_CONFIG_PATH=$config
g++ -std=c++20 "$here/outside.cpp" -o "$work/by_pkg_config" $(pkg-config --cflags --libs idlemeter)
"$work/by_pkg_config"
g++ -std=c++20 "$root/examples/show_run.cpp" -o "$work/show_run" $(pkg-config --cflags --libs idlemeter-core)

[ "$(sed -n '/^```cpp$/,/^```$/p' "$root/README.md" | sed '1d;/^```$/,$d')" = "$(cat "$root/examples/show_run.cpp")" ] ||
  { echo "the README's first program isn't examples/show_run.cpp"; exit 1; }
"$work/prefix/bin/idlemeter" demo --brief --folder "$work" >/dev/null
for program in "$work/buildcore/show_run" "$work/show_run"; do
  if ldd "$program" | grep -Ei 'libX|xcb|wayland|cairo|pulse|speechd|ssl|libuv'; then
    echo "$program needs more than the core does"
    exit 1
  fi
  (cd "$work" && "$program") | grep -E '^  1% low +[0-9.]+ +FPS'
done
"$work/prefix/bin/idlemeter" --version
# It runs from wherever it is, with the probes and the manual that came with it.
mv "$work/prefix" "$work/moved"
(HOME=$work DISPLAY='' "$work/moved/bin/idlemeter" doctor || true) | grep -F 'the probe loads'
"$work/moved/lib/idlemeter/containers/bwrap" --version | grep -F bubblewrap
grep -qF '\-\-end\-game' "$work/moved/share/man/man1/idlemeter-play.1"
for file in bin/idlemeter share/bash-completion/completions/idlemeter share/zsh/vendor-completions/_idlemeter \
  share/fish/vendor_completions.d/idlemeter.fish share/applications/idlemeter-desk.desktop share/idlemeter/face.schema.json \
  lib/systemd/user/idlemeter-serve.service; do
  [ -s "$work/moved/$file" ] || { echo "$file isn't installed"; exit 1; }
done
