#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The pictures in docs/screenshots and docs/figures, from the demo data.
#   screenshots.sh TOOL            makes them, and writes what they were made from; needs Xvfb, xterm and ImageMagick
#   screenshots.sh TOOL --check    fails where one is older than what it shows
# What a picture shows is a digest without its numbers, which depend on the machine: of what the commands print, of the
# script of a figure, of the sources of a page. docs/figures/made_from.txt keeps them.
set -euo pipefail
tool=$(realpath "$1")
docs=$(realpath "$(dirname "$0")")
here=$docs/screenshots
source=$(realpath "$docs/..")
data=$source/data
work=$(mktemp -d)
server=
trap 'rm -rf "$work"; [ -z "$server" ] || kill "$server" 2>/dev/null || true' EXIT
mkdir "$work/bin"
ln -s "$tool" "$work/bin/marlinspike"
export PATH=$work/bin:$PATH

# fresh NAME: a folder with the demo data, which becomes the working folder.
fresh() {
    mkdir "$work/$1"
    cp "$data"/demo/*.csv "$data"/tunings/*.json "$work/$1"
    cd "$work/$1"
}

display=:97
start_display() {
    Xvfb $display -wr -screen 0 1280x800x24 >/dev/null 2>&1 &
    server=$!
    sleep 1
}

# ---- pictures ----

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
    DISPLAY=$display xterm -fa 'DejaVu Sans Mono' -fs 10 -geometry 140x47+0+0 -bw 0 -bg '#ffffff' -fg '#202020' \
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

# figure NAME COMMAND...: runs the command, which draws.
figure() {
    local name=$1
    shift
    "$@" --quiet --figure drawn.png
    convert drawn.png -colors 128 "$docs/$name.png"
}

# The pages, light and dark, side by side.
shoot_pages() {
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
}

# ---- what they show ----

# Standard input without numbers and without what only they made.
digest() {
    sed -E 's/[-+]?[0-9]+([.:][0-9]+)*(e[-+]?[0-9]+)?//g' | tr -s ' ,' | sed -E '/^[ ,]*$/d' | sha256sum | cut -c1-16
}

note() {
    printf '%s %s\n' "$1" "$(digest)" >>"$work/made_from.txt"
}

digest_commands() {
    local name=$1
    shift
    for command in "$@"; do
        echo "\$ $command"
        bash -c "$command" 2>&1 || true
    done | note "$name"
}

digest_figure() {
    local name=$1
    shift
    "$@" --quiet --figure drawn.gp
    note "$(basename "$name")" <drawn.gp
}

digest_pages() {
    cat "$source"/src/show/page/*.{js,css} | note report
    cat "$source"/src/show/live/*.js "$source"/src/show/page/*.{js,css} | note live
}

# ---- the story ----

story() {
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
    figure screenshots/searched marlinspike search lift.csv --reference lift.reference.csv --calibration pod-07.json \
        --filter complementary --vary tilt_time --vary accel_threshold
    figure screenshots/noise marlinspike inspect hour.csv --against simulated.csv
    marlinspike simulate --scene tumble --seed 4 --sheet iron.json --quiet -o iron.csv
    figure screenshots/tumble marlinspike calibrate tumble iron.csv
    marlinspike simulate --scene soak --seed 4 --quiet -o soak.csv
    figure screenshots/soak marlinspike calibrate soak soak.csv
    figure screenshots/error marlinspike compare lift.csv --reference lift.reference.csv --calibration pod-07.json
    shoot smooth 'marlinspike smooth lift.csv --calibration pod-07.json -o lift.smooth.csv' \
        'marlinspike compare lift.csv --reference smooth --calibration pod-07.json --tuning kalman --tuning complementary'
    # the page on tuning: two values of one parameter
    marlinspike simulate --scene steel --seed 45 --duration 60 --quiet -o steel.csv --truth steel.reference.csv
    local lift=(marlinspike compare lift.csv --reference lift.reference.csv --calibration pod-07.json)
    local steel=(marlinspike compare steel.csv --reference steel.reference.csv --calibration pod-07.json)
    figure figures/tilt_time "${lift[@]}" --tuning complementary:tilt_time=0.3 --tuning complementary:tilt_time=8
    figure figures/weighting "${lift[@]}" --tuning complementary --tuning complementary:weighting=off
    figure figures/heading_time "${steel[@]}" --tuning complementary:heading_time=2 --tuning complementary:heading_time=60
    figure figures/mag_noise "${steel[@]}" --tuning kalman:mag_noise=0.05 --tuning kalman:mag_noise=3
    figure screenshots/smoothed marlinspike smooth lift.csv --calibration pod-07.json
}

# The same story once more, for the digests.
write_digests() {
    shoot() { digest_commands "$@"; }
    figure() { digest_figure "$@"; }
    fresh digests
    story
    digest_pages
    sort -o "$work/made_from.txt" "$work/made_from.txt"
}

if [ "${2:-}" = --check ]; then
    write_digests
    if ! diff "$docs/figures/made_from.txt" "$work/made_from.txt" >"$work/diff"; then
        sed -n 's/^[<>] \([a-z_]*\) .*/the picture \1.png is older than what it shows: .\/run shots/p' "$work/diff" | sort -u
        exit 1
    fi
else
    start_display
    fresh pictures
    story
    shoot_pages
    write_digests
    cp "$work/made_from.txt" "$docs/figures/made_from.txt"
fi
