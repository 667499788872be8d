#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The same samples give the same attitudes on other machines: check_machines.sh SOURCE. Builds the device layer by cross compilers, runs
# the known samples through every filter under user-mode emulation and compares the digests with those of this machine. Prints
# what the boot self-test says of each.
set -euo pipefail
source=$(realpath "$1")
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
machines=( # name, compiler, emulator, options
    "this_machine|cc||-O2"
    "aarch64|aarch64-linux-gnu-gcc|qemu-aarch64|-O2"
    "aarch64_O3|aarch64-linux-gnu-gcc|qemu-aarch64|-O3 -march=armv8.3-a"
    "armv7_hard_float|arm-linux-gnueabihf-gcc|qemu-arm|-O2 -mfpu=neon-vfpv4"
    "riscv64|riscv64-linux-gnu-gcc|qemu-riscv64|-O2"
    "i686_sse|i686-linux-gnu-gcc||-O2 -msse2 -mfpmath=sse"
    "i686_x87|i686-linux-gnu-gcc||-O2 -mfpmath=387"
    "s390x_big_endian|s390x-linux-gnu-gcc|qemu-s390x|-O2 -std=gnu11" # strict C gives float a wider type there
)
bad=0 plain=""
for machine in "${machines[@]}"; do
    IFS='|' read -r name compiler emulator options <<<"$machine"
    # shellcheck disable=SC2086
    if ! "$compiler" -std=c11 -ffp-contract=off -static -w $options -I"$source/include" -I"$source/src" -I"$source/port/cortex_m" \
        "$source/tests/project/flags/known_bits.c" "$source"/src/device/{math,sensor,attitude}/*.c -lm -o "$name" 2>"log_$name"; then
        verdict=$(grep -o -m1 'static assertion failed: .*' "log_$name") || { cat "log_$name"; bad=1; }
        printf '%-18s does not compile: %s\n' "$name" "${verdict#*: }"
        continue
    fi
    printed=$($emulator "./$name")
    bits=${printed% *} finding=${printed##* }
    plain=${plain:-$bits}
    if [ "$bits" = "$plain" ]; then
        verdict="same bits"
    elif [ "$finding" != 0 ]; then
        verdict="other bits, which the self-test finds ($finding)"
    else
        verdict="OTHER BITS, AND THE SELF-TEST PASSES"
        bad=1
    fi
    [ "$bits" != "$plain" ] || [ "$finding" = 0 ] || { verdict="same bits, but the self-test finds $finding"; bad=1; }
    printf '%-18s %s\n' "$name" "$verdict"
done
exit $bad
