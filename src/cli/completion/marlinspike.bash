# SPDX-License-Identifier: MIT
# Completion for bash: commands, options, filters and files, as the tool itself lists them.
_marlinspike() {
    local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD - 1]} command=${COMP_WORDS[1]} kind=file
    COMPREPLY=()
    if [ "$COMP_CWORD" = 1 ]; then
        mapfile -t COMPREPLY < <(compgen -W "$("${COMP_WORDS[0]}" --as-words 2>/dev/null)" -- "$word")
        return
    fi
    if [[ $word == -* ]]; then
        mapfile -t COMPREPLY < <(compgen -W "$("${COMP_WORDS[0]}" "$command" --as-words 2>/dev/null | cut -d' ' -f1)" -- "$word")
        return
    fi
    if [[ $before == -* ]]; then
        kind=$("${COMP_WORDS[0]}" "$command" --as-words 2>/dev/null | sed -n "s/^$before //p")
    fi
    case $kind in
    tuning) mapfile -t COMPREPLY < <(compgen -W "gyro vectors complementary gradient-descent kalman" -- "$word"; compgen -f -- "$word") ;;
    source) mapfile -t COMPREPLY < <(compgen -W "sim: log: serial: -" -- "$word") ;;
    text) ;;
    *) mapfile -t COMPREPLY < <(compgen -f -- "$word") ;;
    esac
}
complete -o filenames -F _marlinspike marlinspike
