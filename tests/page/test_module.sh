#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The WebAssembly module gives the tool's bits: test_module.sh SOURCE TOOL [SCENE...]; without a scene: all sixteen, by five
# filters with three tunings each. PAGES in the environment: a folder that gets the pages; ONE=1: each scene with one set of tunings in turn. Scenes differ in seed, rate, calibration, mount, start and losses.
set -euo pipefail
source=$(realpath "$1") tool=$(realpath "$2")
shift 2
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cd "$folder"
[ $# -gt 0 ] || set -- still turns poses tumble soak lift slew shake steel upside handle carry drive swing spin day
tunings=(
    "--tuning gyro --tuning vectors --tuning complementary --tuning gradient-descent --tuning kalman"
    "--tuning gyro:gap_limit=0.02 --tuning vectors:use_mag=off --tuning complementary:tilt_time=0.4,damping=2,weighting=off
     --tuning gradient-descent:beta=0.3,bias_share=0.5 --tuning kalman:mag_noise=3,speed_floor=5,use_mag=off"
    "--tuning gyro:gap_limit=50 --tuning vectors:gap_limit=0.5 --tuning complementary:heading_time=3,lever_x=0.3
     --tuning gradient-descent:weighting=off,zeta=0.01 --tuning kalman:weighting=off,bias_limit=0.02,lever_z=-0.2"
)
how=("" "--start reference" "--every 2 --drop 0.05" "--gap 10:12 --jitter 0.001" "--rates 50")
"$tool" simulate --scene poses --seed 90 -o poses.csv --quiet
"$tool" simulate --scene tumble --seed 91 -o tumble.csv --quiet
"$tool" simulate --scene still --seed 92 -o still.csv --quiet
for kind in poses tumble still; do
    "$tool" calibrate "$kind" "$kind.csv" --into pod.json --quiet
done
python3 -c "
import json
c = json.load(open('pod.json'))
c['mount'] = {'q': [0.9238795, 0, 0.3826834, 0]}
json.dump(c, open('mounted.json', 'w'))"
k=0
for scene; do
    rate=$((60 + 17 * (k % 9)))
    "$tool" simulate --scene "$scene" --seed $((300 + k)) --rate $rate --duration 90 -o log.csv --truth truth.csv --quiet
    calibration=("" "--calibration pod.json" "--calibration mounted.json")
    for t in 0 1 2; do
        [ -z "${ONE:-}" ] || [ $t = $((k % 3)) ] || continue
        # shellcheck disable=SC2086
        "$tool" compare log.csv --reference truth.csv ${tunings[t]} ${calibration[(k + t) % 3]} ${how[(k + 2 * t) % 5]} \
            --report "page$k-$t.html" --quiet 2>messages || [ $? = 1 ] || { cat messages; exit 1; }
    done
    k=$((k + 1))
done
node "$source/tests/page/module_bits.mjs" page*.html

[ -z "${PAGES:-}" ] || cp page*.html "$PAGES"

# The example, which knows the module by docs/module.md alone.
found=$(node "$source/examples/replay_module.mjs" "$source/src/show/module/marlinspike.wasm" log.csv | tail -1)
[ "$found" = "$("$tool" replay log.csv --tuning kalman --digest 2>messages | tail -1)" ] || { echo "the example gave $found"; exit 1; }
