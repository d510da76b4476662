# Completions of idlemeter for bash: the command itself says what fits.
_idlemeter() {
  local cur words cword word
  if declare -F _get_comp_words_by_ref >/dev/null; then
    _get_comp_words_by_ref -n '=:@' cur words cword
  else
    cur=${COMP_WORDS[COMP_CWORD]} words=("${COMP_WORDS[@]}") cword=$COMP_CWORD
  fi
  COMPREPLY=()
  while IFS=$'\t' read -r word _; do
    case $word in
      :files) compopt -o filenames; mapfile -t -O ${#COMPREPLY[@]} COMPREPLY < <(compgen -f -- "$cur") ;;
      :commands) mapfile -t -O ${#COMPREPLY[@]} COMPREPLY < <(compgen -c -- "$cur") ;;
      # A name is text, whatever it looks like: "$(rm x)" isn't run. Within quotes the shell would run it all the same.
      *[!\ [:alnum:]._+:=@/,%-]*) [[ $cur == [\"\']* ]] || COMPREPLY+=("$(printf %q "$word")") ;;
      *) [[ $cur == [\"\']* ]] || printf -v word %q "$word"; COMPREPLY+=("$word") ;;
    esac
  done < <(idlemeter complete -- "${words[@]:1:cword}" 2>/dev/null)
  # What stands before the last of these is not replaced.
  local before=${cur%"${cur##*[=:@]}"} i
  [ -z "$before" ] || for i in "${!COMPREPLY[@]}"; do COMPREPLY[i]=${COMPREPLY[i]#"$before"}; done
}
complete -F _idlemeter idlemeter
