#!/usr/bin/env bash
# usage: try.sh CMAKE BUILD WORK: installs BUILD below WORK and builds the project beside this script against it, both ways.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd) cmake=$1 build=$2 work=$3
rm -rf "$work" && mkdir -p "$work"
"$cmake" --install "$build" --prefix "$work/prefix" >/dev/null
"$cmake" -G Ninja -S "$here" -B "$work/build" -DCMAKE_PREFIX_PATH="$work/prefix" >/dev/null
"$cmake" --build "$work/build" >/dev/null
"$work/build/outside"
config=$(dirname "$(find "$work/prefix" -name idlemeter.pc)")
export PKG_CONFIG_PATH=$config
g++ -std=c++20 "$here/outside.cpp" -o "$work/by_pkg_config" $(pkg-config --cflags --libs idlemeter)
"$work/by_pkg_config"
"$work/prefix/bin/idlemeter" --version
