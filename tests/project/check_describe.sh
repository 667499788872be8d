#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Manual pages are without fault, and completion gives what the tool has: check_describe.sh COMPLETION TOOL.
set -euo pipefail
completion=$1 tool=$2
bad=0
if command -v groff >/dev/null; then
    for command in "" $("$tool" --as-words); do
        faults=$("$tool" ${command:+"$command"} --as-man | groff -man -Tutf8 -ww -z 2>&1)
        [ -z "$faults" ] || { echo "marlinspike $command --as-man: $faults"; bad=1; }
    done
fi
# shellcheck source=/dev/null
source "$completion"

# completes WANTED WORD...: after these words, the last of them half typed.
completes() {
    local wanted=$1
    shift
    COMP_WORDS=("$tool" "$@")
    COMP_CWORD=$#
    _marlinspike
    [ "${COMPREPLY[*]}" = "$wanted" ] || { echo "$*: ${COMPREPLY[*]} and not $wanted"; bad=1; }
}
cd "$(dirname "$completion")"
file=$(basename "$completion")
completes "record replay" re
completes "compare" comp
completes "--match --match-by" compare --mat
completes "kalman" compare --tuning kal
completes "sim: serial:" record --from s
completes "" record --until ti
completes "$file" inspect "${file%?}"
completes "$file" calibrate poses "${file%?}"
# Every option of the tables is one of --help, and the other way round.
for command in $("$tool" --as-words); do
    diff <("$tool" "$command" --as-words | sed -n 's/^\(--[a-z-]*\) .*/\1/p' | sort) \
        <("$tool" "$command" --help | grep -oE '^ {2,6}(-[a-zA-Z], )?--[a-z-]+' | grep -oE -e '--[a-z-]+' | sort) || bad=1
done
exit $bad
