#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Makes the pictures in docs/screenshots from the demo data: screenshots.sh TOOL. Needs Xvfb, xterm and ImageMagick.
set -euo pipefail
tool=$(realpath "$1")
here=$(realpath "$(dirname "$0")/screenshots")
data=$(realpath "$here/../../data")
work=$(mktemp -d)
trap 'rm -rf "$work"; kill "${server:-0}" 2>/dev/null || true' EXIT
mkdir "$work/bin"
ln -s "$tool" "$work/bin/marlinspike"
export PATH=$work/bin:$PATH
cp "$data"/demo/*.csv "$data"/tunings/*.json "$work"
cd "$work"

display=:97
Xvfb $display -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
sleep 1

# shoot NAME COMMAND...: runs the commands at a prompt and photographs the terminal.
shoot() {
    local name=$1
    shift
    printf '%s\n' 'PS4=; clear' >session.sh
    for command in "$@"; do
        printf 'echo "\$ %s"\n%s\necho\n' "$command" "$command" >>session.sh
    done
    printf 'tput civis\ntouch shown\nsleep 30\n' >>session.sh
    rm -f shown
    DISPLAY=$display xterm -fa 'DejaVu Sans Mono' -fs 11 -geometry 140x44+0+0 -bg '#ffffff' -fg '#202020' \
        -e bash session.sh &
    local terminal=$!
    for _ in $(seq 100); do
        [ -e shown ] && break
        sleep 0.1
    done
    sleep 0.7
    DISPLAY=$display import -window root png:- |
        convert - -crop 1260x796+2+2 +repage -bordercolor white -border 6 -trim -border 12 -colors 64 "$here/$name.png"
    kill $terminal
    wait $terminal 2>/dev/null || true
}

shoot record 'marlinspike record --from sim:poses --until poses -o poses.csv' \
    'marlinspike record --from sim:still --until turns -o turns.csv' \
    'marlinspike record --from sim:lift --until 20 --faults lose=0.0005,garbage=0.02,unplug=15 -o lossy.csv'
shoot send 'marlinspike calibrate still still.csv --into pod-07.json --quiet' \
    'marlinspike send --to sim:pod-07.memory --calibration pod-07.json --offsets --tuning calm.json --zero --commit' \
    'marlinspike send --to sim:pod-07.memory --calibrate tumble --commit'
shoot inspect 'marlinspike inspect lift.csv'
marlinspike record --from sim:still --until 3600 --seed 5 --quiet -o hour.csv
marlinspike inspect hour.csv --sheet-out pod-07.sheet.json --quiet
marlinspike simulate --scene still --duration 3600 --seed 6 --sheet pod-07.sheet.json --quiet -o simulated.csv
# a pod bolted to a steel block
sed '/"mag"/,$ { s/"bias": .*/"bias": [22, -14, 9],/; s/"scale_error": .*/"scale_error": [0.06, -0.05, 0.02]/ }' \
    "$data/sheets/grommet.json" >iron.json
# the lift as another logger would write it
awk -F, 'BEGIN { print "Hook logger 2"; print "time_ms|ax|ay|az|gx|gy|gz|note" } /^[0-9]/ {
    printf "%.1f|%.6f|%.6f|%.6f|%.5f|%.5f|%.5f|ok\n", $1 * 1000, $2 / 9.80665, $3 / 9.80665, $4 / 9.80665,
        $5 * 57.29578, $6 * 57.29578, $7 * 57.29578 }' lift.csv >hook.txt
marlinspike simulate --scene tumble --seed 4 -o tumble.csv --quiet
cut -d, -f1-4,8- tumble.csv >force.csv
awk -F, 'BEGIN { OFS = "," } /^#/ { next } !/^t/ { $1 = sprintf("%.6f", $1 + 20.25) } { print $1, $5, $6, $7 }' \
    tumble.csv >rate.csv
shoot columns 'marlinspike inspect hook.txt' 'marlinspike inspect force.csv rate.csv -o one.csv'
for kind in poses tumble turns; do
    marlinspike record --from sim:$kind --seed 41 --until $kind --quiet -o $kind.csv
done
shoot calibrate 'marlinspike calibrate poses poses.csv --into pod-07.json' \
    'marlinspike calibrate tumble tumble.csv --into pod-07.json' \
    'marlinspike calibrate turns turns.csv --into pod-07.json'
shoot verify 'marlinspike verify pod-07.json still.csv' 'marlinspike calibrate still lift.csv' \
    'marlinspike verify pod-07.json lift.csv'
marlinspike calibrate still still.csv --into pod-07.json --quiet
shoot replay 'marlinspike correct lift.csv --calibration pod-07.json -o lift.corrected.csv' \
    'marlinspike replay lift.csv --calibration pod-07.json --tuning complementary --digest -o lift.attitude.csv' \
    'head -4 lift.attitude.csv'
shoot tuning 'marlinspike tuning complementary:tilt_time=0.5,weighting=off'
shoot compare 'marlinspike compare lift.csv --reference lift.reference.csv --calibration pod-07.json'
shoot search 'marlinspike search lift.csv --reference lift.reference.csv --calibration pod-07.json --filter complementary --vary tilt_time --vary heading_time' \
    'marlinspike search lift.csv --reference lift.reference.csv --calibration pod-07.json -o best.json'
marlinspike search lift.csv --reference lift.reference.csv --calibration pod-07.json --filter complementary \
    --vary tilt_time --vary accel_threshold --quiet --figure "$here/searched.png"
marlinspike inspect hour.csv --quiet --against simulated.csv --figure "$here/noise.png"
marlinspike simulate --scene tumble --seed 4 --sheet iron.json --quiet -o iron.csv
marlinspike calibrate tumble iron.csv --quiet --figure "$here/tumble.png"
marlinspike simulate --scene soak --seed 4 --quiet -o soak.csv
marlinspike calibrate soak soak.csv --quiet --figure "$here/soak.png"
marlinspike compare lift.csv --reference lift.reference.csv --calibration pod-07.json --quiet \
    --figure "$here/error.png"
shoot smooth 'marlinspike smooth lift.csv --calibration pod-07.json -o lift.smooth.csv --figure smoothed.png' \
    'marlinspike compare lift.csv --reference smooth --calibration pod-07.json --tuning kalman --tuning complementary --tuning gradient-descent'
cp smoothed.png "$here/smoothed.png"

# The pages, light and dark, side by side.
marlinspike compare lift.csv --reference lift.reference.csv --calibration pod-07.json --quiet --report lift.html
marlinspike calibrate tumble iron.csv --quiet --report tumble.html
/usr/bin/python3 "$here/../page_shot.py" lift.html lift.png 1280 1600 light
/usr/bin/python3 "$here/../page_shot.py" tumble.html tumble.png 1280 1600 dark
marlinspike live --from sim:handle --sheet "$data/sheets/grommet.json" --record live.csv 2>address &
live=$!
until grep -q http address; do sleep 0.1; done
/usr/bin/python3 "$here/../page_shot.py" "$(cut -d' ' -f1 address)" live.png 1280 1120 light
kill $live
convert live.png -colors 128 "$here/live.png"
convert lift.png tumble.png +append -resize 1280x -colors 128 "$here/report.png"
