#!/usr/bin/env bash
# usage: completion.sh IDLEMETER COMPLETIONS: pressing Tab in bash offers names as text, whatever they look like.
set -euo pipefail
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
export HOME=$folder XDG_CONFIG_HOME=$folder/config
mkdir -p "$folder/config/idlemeter/faces" "$folder/bin"
ln -s "$1" "$folder/bin/idlemeter"
export PATH=$folder/bin:$PATH
names=('$(touch ran)' 'a;touch ran' '`touch ran`' 'plain' "it's one" 'two words' '*')
for name in "${names[@]}"; do
  printf '[[row]]\ncells = [ { reading = "cpu.load" } ]\n' >"$folder/config/idlemeter/faces/$name.toml"
done
cd "$folder"
complete() { :; }
compopt() { :; }
. "$2/idlemeter.bash"

# As readline puts a candidate on the line, and the shell runs it.
offered() {
  COMP_WORDS=(idlemeter face show "$1") COMP_CWORD=3
  _idlemeter
  for word in "${COMPREPLY[@]}"; do eval "printf '%s\n' $word"; done
}
all=$(offered '')
[ ! -e ran ] || { echo "a name was run"; exit 1; }
for name in "${names[@]}"; do grep -qxF -- "$name" <<<"$all" || { echo "'$name' isn't offered"; exit 1; }; done
COMP_WORDS=(idlemeter face show '"') COMP_CWORD=3
_idlemeter
for word in "${COMPREPLY[@]}"; do
  case $word in *[\$\`]*) echo "within quotes '$word' would be run"; exit 1 ;; esac
done
