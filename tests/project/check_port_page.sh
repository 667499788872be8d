#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The firmware that docs/porting.md writes streams what `record` records, from a board whose line takes a part of what it
# is given and whose timer wraps: check_port_page.sh BOARD TOOL
set -euo pipefail
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cd "$folder"
"$1" 5 >sent.bin
"$2" record --from - -o first.csv --json <sent.bin >first.json
python3 - <<'PYTHON'
import csv
import json
with open("first.json", encoding="utf-8") as file:
    report = json.load(file)
assert report["device"] == "pod-07" and report["packets_lost"] == 0 and report["bytes_skipped"] == 0, report
assert abs(report["sensors"]["gyro"]["rate_hz"] - 200) < 10, report["sensors"]
assert abs(report["duration_s"] - 4.9) < 0.2, report["duration_s"]
with open("first.csv", encoding="utf-8") as file:
    rows = list(csv.DictReader(line for line in file if not line.startswith("#")))
# the commit takes its time in the flash
steps = [float(b["t[s]"]) - float(a["t[s]"]) for a, b in zip(rows, rows[1:])]
assert 0 < min(steps) and max(steps) < 0.05, (min(steps), max(steps))
up = [float(row["accel_z[m/s^2]"]) for row in rows if row["accel_z[m/s^2]"]]
assert abs(sum(up) / len(up)) > 9, "gravity is missing"
PYTHON
