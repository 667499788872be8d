#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The demo log of the pod in a hand as other people's files have it: make.sh DEMO DIR.
set -euo pipefail
demo=$1 dir=$2
log=$demo/handle.csv truth=$demo/handle.reference.csv
mkdir -p "$dir/phone"
# A phone: a file for each sensor, each with its own rows, in milliseconds.
for sensor in "accel 2 m/s^2" "gyro 5 rad/s" "mag 8 uT"; do
    read -r name column unit <<<"$sensor"
    awk -F, -v c="$column" -v name="$name" -v unit="$unit" 'BEGIN { printf "t[ms];%s_x[%s];%s_y[%s];%s_z[%s]\n", name, unit, name, unit, name, unit }
        /^[0-9]/ && $1 < 20 && $c != "" { printf "%.1f;%.6f;%.6f;%.6f\n", $1 * 1000, $c, $(c + 1), $(c + 2) }' "$log" \
        >"$dir/phone/pocket-$name.csv"
done
# A board that prints counts on its serial line: milliseconds, 2048 counts per g, 16.4 per deg/s, no header.
awk -F, 'BEGIN { print "boot ok" }
    /^[0-9]/ && $1 < 20 { printf "imu %d %.0f %.0f %.0f %.0f %.0f %.0f\n", $1 * 1000 + 0.5, $2 / 9.80665 * 2048, $3 / 9.80665 * 2048,
        $4 / 9.80665 * 2048, $5 * 57.29578 * 16.4, $6 * 57.29578 * 16.4, $7 * 57.29578 * 16.4 }' "$log" >"$dir/serial.txt"
# A spreadsheet of a country with a decimal comma.
awk -F, 'BEGIN { OFS = ";"; print "t[s];accel_x[g];accel_y[g];accel_z[g];gyro_x[deg/s];gyro_y[deg/s];gyro_z[deg/s]" }
    /^[0-9]/ && $1 < 20 { line = sprintf("%.3f;%.5f;%.5f;%.5f;%.4f;%.4f;%.4f", $1, $2 / 9.80665, $3 / 9.80665, $4 / 9.80665,
        $5 * 57.29578, $6 * 57.29578, $7 * 57.29578); gsub(/\./, ",", line); print line }' "$log" >"$dir/table.csv"
# A rig: milliseconds by its own clock, the quaternion with its scalar last.
awk -F, 'BEGIN { print "frame|ms|qx|qy|qz|qw" }
    /^[0-9]/ && $1 < 20 && NR % 2 == 0 { printf "%d|%.1f|%.6f|%.6f|%.6f|%.6f\n", ++n, ($1 + 4.2) * 1000, $3, $4, $5, $2 }' "$truth" \
    >"$dir/rig.txt"
# What another program made of the same log: roll, pitch and yaw in degrees, some degrees off.
awk -F, 'BEGIN { print "t[s],roll[deg],pitch[deg],yaw[deg]"; d = 180 / atan2(0, -1) }
    /^[0-9]/ && $1 < 20 { w = $2; x = $3; y = $4; z = $5; s = 2 * (w * y - z * x)
        printf "%.3f,%.3f,%.3f,%.3f\n", $1, d * atan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y)) + 2 * sin($1),
            d * atan2(s, sqrt(1 - s * s)), d * atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z)) + 3 * sin($1 / 3) }' "$truth" \
    >"$dir/other.csv"
# A logger of events: a row for each sensor's reading, by its label, in batches of a fifth of a second.
awk -F, 'function flush(k) { for (k = 1; k <= 3; k++) { printf "%s", kept[k]; kept[k] = "" } }
    function keep(k, name, a, b, c) { kept[k] = kept[k] sprintf("%d,%s,%.5f,%.5f,%.5f\n", $1 * 1000000 + 0.5, name, a, b, c) }
    BEGIN { print "micros,sensor,x,y,z" }
    /^[0-9]/ && $1 < 10 {
        if (int($1 * 5 + 0.001) != batch) { flush(); batch = int($1 * 5 + 0.001) }
        if ($8 != "") keep(1, "mag", $8, $9, $10)
        keep(2, "gyro", $5, $6, $7); keep(3, "accel", $2, $3, $4)
    }
    END { flush() }' "$log" >"$dir/events.csv"
