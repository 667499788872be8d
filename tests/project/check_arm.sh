#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Checks an ARM build: check_arm.sh BUILD_DIR CORE. The objects and the linked image hold no double
# arithmetic, no heap, no stdio, no errno, and no writable data; run, it computes the bits that the desk computes.
set -euo pipefail
build=$1 core=$2
library=$build/libmarlinspike_device.a
image=$build/port/cortex_m/device_image.elf
forbidden='^(__aeabi_(d|cd|f2d|i2d|ui2d|l2d|ul2d|f2h_alt)|__[a-z]+df[a-z0-9]*$|_?(malloc|calloc|realloc|free|sbrk)(_r)?$|_?(v?f?s?n?i?printf|puts|putchar|fopen|fwrite|write)(_r)?$|__errno|__sf)'
bad=0

report() {
    echo "$core: $1:" >&2
    sed 's/^/    /' >&2
    bad=1
}

symbols=$(arm-none-eabi-nm --undefined-only "$library" | awk 'NF == 2 { print $2 }' | sort -u)
if found=$(grep -E "$forbidden" <<<"$symbols"); then
    report "the objects need what the device layer may not use" <<<"$found"
fi
symbols=$(arm-none-eabi-nm "$image" | awk '{ print $NF }' | sort -u)
if found=$(grep -E "$forbidden" <<<"$symbols"); then
    report "the linked image holds what the device layer may not use" <<<"$found"
fi
if found=$(arm-none-eabi-size -t "$library" | awk 'NR > 1 && $NF != "(TOTALS)" && $2 + $3 > 0'); then
    [ -z "$found" ] || report "objects with .data or .bss" <<<"$found"
fi
found=$(arm-none-eabi-size "$image" | awk 'NR > 1 && $2 + $3 > 0')
[ -z "$found" ] || report "the image has .data or .bss" <<<"$found"
[ "$core" != cortex-m4f ] || ! arm-none-eabi-nm --undefined-only "$library" | grep -qw sqrtf ||
    report "the root is called, not the instruction" <<<sqrtf
# The selection of symbols itself is tested: these must be caught.
for symbol in __aeabi_dadd __aeabi_f2d __aeabi_d2f __adddf3 malloc _malloc_r snprintf __errno; do
    grep -qE "$forbidden" <<<"$symbol" || report "the check misses" <<<"$symbol"
done
[ $bad = 0 ] || exit 1

# The image runs on the emulated core: self-test, known bits of every estimator, stillness. 0 = all hold.
case $core in
cortex-m0) machine=microbit ;;
cortex-m3) machine=mps2-an385 ;;
*) machine=mps2-an386 ;;
esac
code=0
timeout 60 qemu-system-arm -M $machine -nographic -semihosting-config enable=on,target=native -kernel "$image" \
    </dev/null || code=$?
[ $code = 0 ] || { echo "$core: the image ends with $code on the emulated core" >&2; exit 1; }
# Instructions per update, with limits: the emulated clock advances by 64 ns with each.
if [ "$core" = cortex-m4f ]; then
    counted=$(timeout 120 qemu-system-arm -M $machine -icount shift=6 -nographic -semihosting-config enable=on,target=native \
        -kernel "$build/port/cortex_m/count_image.elf" </dev/null 2>&1) ||
        { echo "$counted"; echo "$core: an update takes more instructions than its limit" >&2; exit 1; }
    echo "$counted"
    # What compare --target says is what was counted.
    costs=$(dirname "$0")/../../src/lab/compare/target_cost.c
    while read -r filter mean worst; do
        name=$(tr 'a-z-' 'A-Z_' <<<"$filter")
        sed -n "s/.*\[MARL_FILTER_$name\] = {\([0-9]*\), \([0-9]*\), .*/\1 \2/p" "$costs" | {
            read -r stated_mean stated_worst
            awk -v a="$mean" -v b="$stated_mean" -v c="$worst" -v d="$stated_worst" \
                'BEGIN { exit !(a > 0.98 * b && a < 1.02 * b && c > 0.98 * d && c < 1.02 * d) }'
        } || { echo "$costs: $filter takes $mean in the mean and $worst at the worst" >&2; exit 1; }
    done < <(sed -n 's/^  \([a-z-]*\): mean *\([0-9]*\), worst *\([0-9]*\), stack .*$/\1 \2 \3/p' <<<"$counted")
    bytes=$(sed -n 's/^  a pipeline: *\([0-9]*\) bytes$/\1/p' <<<"$counted")
    grep -q "PIPELINE_BYTES = $bytes " "$costs" || { echo "$costs: a pipeline takes $bytes bytes" >&2; exit 1; }
fi
# What the library takes in small firmwares: each links the filter that it names, and no other.
if [ "$core" = cortex-m4f ]; then
    alone=$(arm-none-eabi-size "$build/port/cortex_m/size_alone.elf" | awk 'NR == 2 { print $1 }')
    while read -r use most what; do
        read -r text ram < <(arm-none-eabi-size "$build/port/cortex_m/size_$use.elf" | awk 'NR == 2 { print $1, $3 }')
        printf '  %-66s %6d bytes of flash, %5d of RAM\n' "$what:" $((text - alone)) "$ram"
        [ $((text - alone)) -le "$most" ] || { echo "size_$use: wanted $most bytes of flash at most" >&2; exit 1; }
        others=$(arm-none-eabi-nm "$build/port/cortex_m/size_$use.elf" | awk '{ print $NF }')
        if [ "$use" != kalman ] && grep -q '^marlp_kalman' <<<"$others"; then
            echo "size_$use holds kalman, which it does not name" >&2
            exit 1
        fi
    done <<'USES'
gyro 7000 gyro alone
complementary 16000 complementary with correction
kalman 20200 kalman with correction, stillness and heading
app 40300 the streaming application with the filters of constant gains
renew 57000 the same, and it renews its calibrations itself
USES
    python3 "$(dirname "$0")/target_page.py" "$(dirname "$build")" "$(dirname "$0")/../../docs/target.md" --check || exit 1
fi
arm-none-eabi-size "$image" | awk -v core="$core" \
    'NR == 2 { printf "%s: clean; %d bytes of flash with everything, 0 of .data and .bss; same bits as the desk\n", core, $1 }'
