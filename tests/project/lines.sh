#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Non-blank lines of code per part of the project, and the share of tests.
set -euo pipefail
cd "$(dirname "$0")/../.."
count() {
    { git ls-files --cached --others --exclude-standard -- "$@" 2>/dev/null || find "$@" -type f -not -path './build/*'; } | grep -E '\.(c|h|sh|ld|js|html)$|(^|/)run$' |
        tr '\n' '\0' | xargs -0 -r cat | grep -c '[^[:space:]]' || true
}
all=$(count .)
for part in include src/device src/lab src/show src/cli port examples bench tests; do
    printf '%-12s %6d\n' "$part" "$(count "$part")"
done
tests=$(count tests)
printf '%-12s %6d, of which tests %d %%\n' all "$all" $((100 * tests / all))
