#!/usr/bin/env bash
# usage: thin_fronts.sh SOURCE_FOLDER: fails where the command does a library's work, or the library speaks like the command.
set -euo pipefail
cd "$1"
if grep -nE '#include [<"](nlohmann|sqlite3|archive)|gnuplot' -r cli --include=*.[ch]pp; then
  echo "the command includes what the library does: call an action of the library"
  exit 1
fi
if grep -nE '#include <(spawn|sys/wait|sys/signalfd|dlfcn)\.h>|\b(fork|posix_spawn[a-z_]*|waitpid|popen)\(' -r cli --include=*.[ch]pp; then
  echo "the command handles processes: that is the library's"
  exit 1
fi
lines=$(find cli -name "*.[ch]pp" -exec cat {} + | wc -l)
if [ "$lines" -ge 4000 ]; then
  echo "the command has $lines lines; under 4,000, it parses options, calls one action and lays out columns"
  exit 1
fi
# A word in a literal, not in a comment: an option behind a verb, or the command with a subcommand.
if grep -rnE "\"[^\"]*((with|give|leave out|to|or) --[a-z]|idlemeter (play|tell|runs|face|compare|plot|log|serve|readings|changes)\b)" \
  src include --include='*.cpp' --include='*.hpp' | grep -vE ':[0-9]+: *//'; then
  echo "the library names an option or a command: give the error a hint, and the command its words in cli/advice.cpp"
  exit 1
fi
echo "the command is thin, and the library names no options"
