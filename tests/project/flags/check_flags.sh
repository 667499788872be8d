#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The boot self-test finds every build that changes a bit, and none that does not: check_flags.sh SOURCE [all]. Builds the
# device layer by gcc and clang under many flags, runs known samples through every filter, and compares the bits with those of
# a plain build. `exact` in a line turns device/math/exact.h off, as another compiler would.
set -euo pipefail
source=$(realpath "$1")
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
some=(
    "gcc -O0" "gcc -O2 -march=haswell -ffp-contract=off" "gcc -O3 -march=haswell -ffp-contract=fast -flto"
    "gcc -Os -freciprocal-math" "gcc -O2 -fassociative-math -fno-signed-zeros -fno-trapping-math"
    "clang -O3 -march=haswell -ffp-contract=off" "clang -O2 -flto" "clang -Os -march=haswell -ffp-contract=off"
    "gcc -O2 -march=haswell exact" "gcc -O1 -march=haswell -ffp-contract=fast exact" "gcc -O2 -freciprocal-math exact"
    "gcc -O3 -fassociative-math -fno-signed-zeros -fno-trapping-math exact" "gcc -O2 -funsafe-math-optimizations"
    "clang -O0 -march=haswell -ffp-contract=fast" "clang -O2 -march=haswell -ffp-contract=fast" "clang -O1 -freciprocal-math"
)
if [ "${2:-}" = all ]; then
    some=()
    for level in -O0 -O1 -Os -O2 -O3; do
        for compiler in gcc clang; do
            for flags in "" "-march=haswell -ffp-contract=off" "-march=haswell" "-march=haswell -ffp-contract=fast" \
                "-ffp-contract=off -flto" "-freciprocal-math" "-fassociative-math -fno-signed-zeros -fno-trapping-math" \
                "-funsafe-math-optimizations"; do
                some+=("$compiler $level $flags")
            done
        done
        for flags in "-march=haswell -ffp-contract=off" "-march=haswell -ffp-contract=fast" "-freciprocal-math" \
            "-fassociative-math -fno-signed-zeros -fno-trapping-math"; do
            some+=("gcc $level $flags exact")
        done
    done
fi
grep -q ' fma ' /proc/cpuinfo || mapfile -t some < <(printf '%s\n' "${some[@]}" | grep -v haswell)

build() { # NUMBER COMPILER FLAGS...: writes the bits and the finding, and "no build" where the library refuses the flags
    local number=$1 words=()
    shift
    for word; do
        [ "$word" = exact ] && word=-DDEVICE_EXACT_H
        words+=("$word")
    done
    "${words[@]}" -std=c11 -w -I"$source/include" -I"$source/src" -I"$source/port/cortex_m" "$source/tests/project/flags/known_bits.c" \
        "$source"/src/device/{math,sensor,attitude}/*.c -lm -o "build$number" 2>"log$number" && "./build$number" >"bits$number" ||
        echo "no build" >"bits$number"
}
export -f build
export source
printf '%s\n' "gcc -O1 -ffp-contract=off" "${some[@]}" | nl -v0 -w1 -s' ' | xargs -P "$(nproc)" -I{} bash -c 'build {}'

plain=$(cut -d' ' -f1-20 bits0)
right=0 wrong=0 refused=0 bad=0
for k in $(seq 1 ${#some[@]}); do
    line=${some[k - 1]} bits=$(cut -d' ' -f1-20 "bits$k") finding=$(cut -d' ' -f21 "bits$k")
    if [ "$bits" = "no build" ]; then
        refused=$((refused + 1))
        grep -q 'build without' "log$k" || { cat "log$k"; bad=1; }
    elif [ "$bits" != "$plain" ]; then
        wrong=$((wrong + 1))
        [ "$finding" != 0 ] || { echo "other bits, and the self-test passes: $line"; bad=1; }
    elif [ "$finding" = 0 ]; then
        right=$((right + 1))
    elif [ $((finding & 2)) != 0 ]; then
        wrong=$((wrong + 1)) # denormals are flushed: other bits, if not of these samples
    else
        echo "the same bits, and the self-test fails with $finding: $line"
        bad=1
    fi
done
echo "$right builds with the same bits, $wrong with others, $refused refused by the library"
[ $right -gt 0 ] && [ $wrong -gt 0 ] && exit $bad
