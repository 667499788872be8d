#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The demo data are what their script makes, to the byte, and small: check_demo_data.sh SOURCE TOOL.
set -euo pipefail
source=$1 tool=$2
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
"$source/data/demo/make.sh" "$tool" "$work"
for file in still.csv lift.csv lift.reference.csv lift.rig.csv handle.csv handle.reference.csv; do
    cmp "$source/data/demo/$file" "$work/$file"
done
bytes=$(cat "$source"/data/demo/*.csv | wc -c)
echo "demo data: $bytes bytes"
[ "$bytes" -lt 3600000 ]
