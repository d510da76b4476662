# Completions of idlemeter for fish: the command itself says what fits.
function __idlemeter_complete
    set -l words (commandline -opc) (commandline -ct)
    for line in (idlemeter complete -- $words[2..-1] 2>/dev/null)
        switch $line
            case ':files*'
                __fish_complete_path (commandline -ct)
            case ':commands*'
                __fish_complete_command
            case '*'
                echo $line
        end
    end
end
complete -c idlemeter -f -a '(__idlemeter_complete)'
