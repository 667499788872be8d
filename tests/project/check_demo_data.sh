#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The demo data, and the same as other people's files have it, are what their scripts make, to the byte, and small: check_demo_data.sh SOURCE TOOL.
set -euo pipefail
source=$1 tool=$2
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
"$source/data/demo/make.sh" "$tool" "$work"
for file in still.csv lift.csv lift.reference.csv lift.rig.csv handle.csv handle.reference.csv; do
    cmp "$source/data/demo/$file" "$work/$file"
done
"$source/data/elsewhere/make.sh" "$source/data/demo" "$work/elsewhere"
diff -r -x make.sh "$source/data/elsewhere" "$work/elsewhere"
bytes=$(cat "$source"/data/demo/*.csv "$source"/data/elsewhere/{*.csv,*.txt,*/*.csv} | wc -c)
echo "demo data: $bytes bytes"
[ "$bytes" -lt 4100000 ]
