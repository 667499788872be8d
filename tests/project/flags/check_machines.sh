#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The same samples give the same attitudes on other machines: check_machines.sh SOURCE [MACHINE...]. Builds the device layer by cross
# compilers, runs the known samples and the demo logs through every filter under emulation and compares the digests with those of
# this machine. Prints what the boot self-test says of each. Without MACHINE all, and the images of the Cortex-M builds.
set -euo pipefail
source=$(realpath "$1")
shift
wanted=" $* "
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
logs=(lift handle still)
for log in "${logs[@]}"; do
    python3 "$source/tests/project/flags/log_samples.py" "$source/data/demo/$log.csv" >"$log.samples"
done

build() { # PROGRAM SOURCE: for the machine at hand
    # shellcheck disable=SC2086
    "$compiler" -std=c11 -ffp-contract=off -static -w $options -I"$source/include" -I"$source/src" -I"$source/port/cortex_m" \
        "$source/tests/project/flags/$2" "$source"/src/device/{math,sensor,attitude}/*.c -lm -o "$1" 2>"log_$name"
}

bad=0 plain="" plain_logs=""
for machine in "${machines[@]}"; do
    IFS='|' read -r name compiler emulator options <<<"$machine"
    [ "$wanted" = "  " ] || [ "$name" = this_machine ] || [[ "$wanted" = *" $name "* ]] || continue
    if ! build "$name" known_bits.c; then
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
    build "$name" log_bits.c
    of_logs=$(for log in "${logs[@]}"; do $emulator "./$name" <"$log.samples"; done)
    plain_logs=${plain_logs:-$of_logs}
    if [ "$finding" = 0 ] && [ "$of_logs" != "$plain_logs" ]; then
        verdict="OTHER BITS FROM A WHOLE LOG"
        bad=1
    fi
    printf '%-18s %s\n' "$name" "$verdict"
done

# The bare-metal images take the logs, too.
for core in cortex-m0 cortex-m3 cortex-m4f; do
    image=$source/build/arm-$core/port/cortex_m/log_image.elf
    [ "$wanted" = "  " ] && [ -e "$image" ] || continue
    case $core in
    cortex-m0) machine=microbit ;;
    cortex-m3) machine=mps2-an385 ;;
    *) machine=mps2-an386 ;;
    esac
    of_logs=""
    for log in "${logs[@]}"; do
        cp "$log.samples" samples
        of_logs+=$(timeout 300 qemu-system-arm -M $machine -nographic -semihosting-config enable=on,target=native \
            -kernel "$image" </dev/null 2>&1)
    done
    verdict="same bits from whole logs"
    [ "$of_logs" = "$plain_logs" ] || { verdict="OTHER BITS FROM A WHOLE LOG"; bad=1; }
    printf '%-18s %s\n' "$core" "$verdict"
done
exit $bad
