#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The rules of the house that no compiler checks: check_floors.sh SOURCE.
set -euo pipefail
cd "$1"
bad=0
complain() {
    echo "$1:"
    sed 's/^/    /'
    bad=1
}

# An include only ever points down. Public headers of the upper floors, by floor:
lab=$(sed -n 's|#include "marlinspike/\(.*\)"|\1|p' include/marlinspike/lab.h | grep -v '^device.h' | paste -sd'|')
device=$(sed -n 's|#include "marlinspike/\(.*\)"|\1|p' include/marlinspike/device.h | paste -sd'|')
show='show.h|figure.h'
ports='ports.h|port_sim.h|port_posix.h'
includes() { grep -nHE '^#include "' "$@" || true; }
device_files=$(printf 'include/marlinspike/%s ' $(tr '|' ' ' <<<"$device"))
lab_files=$(printf 'include/marlinspike/%s ' $(tr '|' ' ' <<<"$lab"))
found=$(includes src/device/*.[ch] $device_files | grep -E "marlinspike/($lab|lab.h|$show|$ports)|\.\./" || true)
[ -z "$found" ] || complain "device includes from above" <<<"$found"
found=$(includes src/lab/*.[ch] $lab_files | grep -E "marlinspike/($show|$ports)|\.\./" || true)
[ -z "$found" ] || complain "lab includes from above" <<<"$found"
found=$(includes src/show/*.[ch] | grep -E 'cli' || true)
[ -z "$found" ] || complain "show includes from above" <<<"$found"
found=$(includes src/cli/*.[ch] | grep -vE '"(marlinspike/[a-z_]+|cli|calibrate|compare|inspect|replay_trace|source|recording)\.h"' || true)
[ -z "$found" ] || complain "the tool uses more than the public headers" <<<"$found"

# Ports other than the simulated board see the device floor and their own header.
found=$(includes port/posix/*.[ch] port/cortex_m/*.[ch] include/marlinspike/port_posix.h |
    grep -E 'marlinspike/' | grep -vE "marlinspike/($device|device.h|port_posix.h)" || true)
[ -z "$found" ] || complain "a port includes more than the device floor" <<<"$found"

# The device floor: C11 freestanding headers, math.h and string.h.
found=$(grep -nE '^#include <' src/device/*.[ch] $device_files |
    grep -vE '<(float|iso646|limits|stdalign|stdarg|stdbool|stddef|stdint|stdnoreturn|math|string)\.h>' || true)
[ -z "$found" ] || complain "device includes more than it may" <<<"$found"
found=$(grep -nE '\b(double|malloc|calloc|realloc|printf|long double)\b' src/device/*.[ch] $device_files |
    grep -vE ':[0-9]+:( \*|/\*| {4}/\*)|/\*.*(double|printf)' || true)
[ -z "$found" ] || complain "device uses what it may not" <<<"$found"

# Every public header is pulled in by an umbrella, every source file begins with its licence.
for header in include/marlinspike/*.h; do
    name=$(basename "$header")
    grep -qE "^($device|$lab|device\.h|lab\.h|$show|$ports)$" <<<"$name" || complain "pulled in by no umbrella" <<<"$header"
done
found=$(git ls-files --cached --others --exclude-standard '*.c' '*.h' '*.sh' run 2>/dev/null |
    xargs grep -L 'SPDX-License-Identifier: MIT' || true)
[ -z "$found" ] || complain "without a licence line" <<<"$found"
found=$(git ls-files --cached --others --exclude-standard '*.c' '*.h' 2>/dev/null | xargs wc -l |
    awk '$2 != "total" && $1 > 500' || true)
[ -z "$found" ] || complain "files of over 500 lines" <<<"$found"
exit $bad
