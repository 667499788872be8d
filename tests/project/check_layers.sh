#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Rules that no compiler checks: check_layers.sh SOURCE. Needs no git.
set -euo pipefail
cd "$1"
table=tests/project/layers.txt
bad=0
complain() {
    echo "$1:"
    sed 's/^/    /'
    bad=1
}
check() { # TEXT FOUND
    [ -z "$2" ] || complain "$1" <<<"$2"
}
our_files() { # PATTERN...: every file of the project, without what was built
    local names=()
    for pattern; do names+=(-o -name "$pattern"); done
    find src include port examples tests bench docs data run -type f \( "${names[@]:1}" \) | sort
}

# An include stays in its room or points to one above it in the table; commands of the tool do not see each other.
found=$(our_files '*.c' '*.h' | grep -E '^(src|include|port)/' | xargs grep -HE '^#include "' |
    awk -v table=$table '
    BEGIN {
        while ((getline line <table) > 0) {
            if (line ~ /^#/) continue
            colon = index(line, ":")
            room = substr(line, 1, colon - 1)
            order[room] = ++rooms
            n = split(substr(line, colon + 1), header, " ")
            for (i = 1; i <= n; i++) owner[header[i]] = room
        }
    }
    function room_of(path) {
        sub(/^src\//, "", path)
        if (path ~ /^include\/marlinspike\//) {
            sub(/.*\//, "", path)
            return owner[path]
        }
        sub(/\/[^\/]*$/, "", path)
        return path
    }
    function layer_of(room) {
        sub(/\/.*/, "", room)
        return room
    }
    {
        split($0, part, "\"")
        split($0, place, ":")
        file = place[1]
        target = part[2]
        from = room_of(file)
        if (target ~ /^marlinspike\//) {
            sub(/^marlinspike\//, "", target)
            to = owner[target]
        } else if (target ~ /\//) {
            to = room_of("src/" target)
            if (layer_of(to) != layer_of(from) && from !~ /^port\/(sim|cortex_m)/) to = ""
        } else {
            to = from
            if (file ~ /^src\//) { print file ": " part[2] " without its room"; next }
        }
        if (!(from in order) || !(to in order)) { print file ": " part[2] " is not in " table; next }
        if (order[to] > order[from]) print file " (" from ") includes " part[2] " (" to ")"
        if (from ~ /^cli\// && to ~ /^cli\// && to != from && to != "cli/common")
            print file ": one command includes another: " part[2]
        if (from ~ /^port\/(posix|cortex_m)/ && to !~ /^device/ && to != from)
            print file ": a port of a device includes " part[2]
    }')
check "includes against the order of $table" "$found"

# The device layer: C11 freestanding headers, math.h and string.h; no double, no heap, no printing.
device_headers=$(sed -n 's/^device\/[a-z]*://p' $table | tr ' ' '\n' | sed -n 's|..*|include/marlinspike/&|p')
device_files="$(find src/device -name '*.[ch]') $device_headers"
found=$(grep -nE '^#include <' $device_files |
    grep -vE '<(float|iso646|limits|stdalign|stdarg|stdbool|stddef|stdint|stdnoreturn|math|string)\.h>' || true)
check "the device layer includes what it may not" "$found"
found=$(grep -nE '\b(double|malloc|calloc|realloc|printf|long double)\b' $device_files |
    grep -vE ':[0-9]+:( \*|/\*| {4}/\*)|/\*.*(double|printf)' || true)
check "the device layer uses what it may not" "$found"

# Every public header stands in the table; those of the device and the lab are pulled in by device.h and lab.h.
for header in include/marlinspike/*.h; do
    name=$(basename "$header")
    room=$(awk -v name="$name" '{ for (i = 2; i <= NF; i++) if ($i == name) { sub(/:$/, "", $1); print $1 } }' $table)
    umbrella=${room%%/*}.h
    [ -n "$room" ] || complain "not in $table" <<<"$header"
    case $room in device/* | lab/*) ;; *) continue ;; esac
    [ "$name" = "$umbrella" ] || grep -qF "\"marlinspike/$name\"" "include/marlinspike/$umbrella" ||
        complain "not pulled in by $umbrella" <<<"$header"
done

found=$(our_files '*.c' '*.h' '*.sh' run | xargs grep -L 'SPDX-License-Identifier: MIT' || true)
check "without a licence line" "$found"
found=$(our_files '*.c' '*.h' | grep '^\(src\|include\|port\)' | xargs wc -l | awk '$2 != "total" && $1 > 400' || true)
check "files of over 400 lines" "$found"
found=$(our_files '*.c' '*.h' | xargs wc -l | awk '$2 != "total" && $1 > 500' || true)
check "files of over 500 lines" "$found"
exit $bad
