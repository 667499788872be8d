#!/usr/bin/env zsh
# SPDX-License-Identifier: MIT
# The completion of zsh gives what the tool has, in a zsh at a pseudo-terminal: check_zsh.zsh FOLDER TOOL.
zmodload zsh/zpty
folder=$1 tool=$2 work=$(mktemp -d) bad=0
cp -- $folder/_marlinspike $work
ln -s -- $tool $work/marlinspike
cd -- $work
touch lift.csv

zpty -b shell zsh -f -i

# waits_for PATTERN: what the shell prints from now on matches it within 12 s; it is left in `seen`.
waits_for() {
    local answer i
    seen=
    for i in {1..600}; do
        while zpty -r -t shell answer 2>/dev/null; do seen+=$answer; done
        [[ $seen == *${~1}* ]] && return 0
        sleep 0.02
    done
    return 1
}

# ask COMMAND ANSWER: runs a command in the shell.
ask() {
    zpty -w shell "$1"
    waits_for "$2" || { print -r -- "no '$2' after '$1': ${(q)seen}"; exit 1; }
}

# Ctrl-T completes the word and prints the line as it then stands.
ask "PS1= fpath=($work \$fpath) path=($work \$path); autoload -Uz compinit && compinit -u -D && print ready-\$((1+1))" ready-2
ask 'show() { zle complete-word; print -r -- "<$BUFFER>"; zle kill-whole-line; }; zle -N show; bindkey "^T" show; print ready-$((2+2))' ready-4
for pair in "marlinspike verif|marlinspike verify" "marlinspike compare --rat|marlinspike compare --rates" \
    "marlinspike compare --tuning kal|marlinspike compare --tuning kalman" \
    "marlinspike record --from ser|marlinspike record --from serial:" "marlinspike inspect li|marlinspike inspect lift.csv"; do
    typed=${pair%%|*} wanted=${pair##*|}
    zpty -n -w shell "$typed"$'\x14'
    waits_for "<*>"
    [[ $seen == *"<$wanted"*">"* ]] || { print -r -- "$typed: ${(q)seen}, and not $wanted"; bad=1; }
done
zpty -d shell
rm -rf -- $work
exit $bad
