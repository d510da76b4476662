#!/usr/bin/env bash
# usage: library_prints_nothing.sh LIBRARY...: fails where a library calls anything that writes to the standard streams.
set -euo pipefail
# The mangled names are those of std::cout, std::cerr, std::clog; fmt's own print functions have "vprint" in theirs.
if nm -C --undefined-only "$@" | grep -E ' (printf|puts|putchar|vprintf|fprintf|fputs|perror|stdout|stderr|std::(cout|cerr|clog)|fmt::.*vprint.*)(@|$)'; then
  echo "a library prints: return the text, or throw an Error"
  exit 1
fi
echo "nothing in $# libraries prints"
