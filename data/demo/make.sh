#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Makes the demo data: make.sh TOOL DIR. Same tool, same bytes.
set -euo pipefail
tool=$1 dir=$2
"$tool" simulate --quiet --scene still --duration 60 --seed 41 -o "$dir/still.csv"
"$tool" simulate --quiet --scene lift --duration 120 --seed 42 -o "$dir/lift.csv" \
    --truth "$dir/lift.reference.csv"
awk -f "$(dirname "$0")/as_the_rig_writes.awk" "$dir/lift.reference.csv" >"$dir/lift.rig.csv"
"$tool" simulate --quiet --scene handle --duration 40 --seed 43 -o "$dir/handle.csv" --truth "$dir/handle.reference.csv"
