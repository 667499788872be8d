#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Runs every fuzz harness over its corpus and onwards: run.sh BUILD_DIR SECONDS [NAME...]. Prints runs, speed and
# coverage of each; ends with 1 when one found something, which then lies in BUILD_DIR/findings.
set -euo pipefail
source=$(cd "$(dirname "$0")" && pwd)
build=$1 seconds=$2
shift 2
names=("$@")
[ ${#names[@]} -gt 0 ] || names=(app cbor cells change columns estimator guess json log number packed receiver reference renew smooth store tuning)
findings=$build/findings
mkdir -p "$findings"
export ASAN_OPTIONS=allocator_may_return_null=1:detect_leaks=1

one() {
    local name=$1 grown=$build/grown/$1 log=$findings/$1.log code=0
    mkdir -p "$grown"
    "$build/tests/fuzz/fuzz_$name" -max_total_time="$seconds" -timeout=20 -rss_limit_mb=3000 -max_len=4096 -print_final_stats=1 \
        -artifact_prefix="$findings/$name-" "$grown" "$source/corpus/$name" >"$log" 2>&1 || code=$?
    awk -v name="$name" -v code="$code" '
        /stat::number_of_executed_units/ { runs = $2 }
        /stat::average_exec_per_sec/ { speed = $2 }
        /cov: / { for (i = 1; i < NF; i++) if ($i == "cov:") covered = $(i + 1) }
        END { printf "%-10s %12d runs %8d a second %6d edges covered   %s\n", name, runs, speed, covered, code ? "FINDING" : "no finding" }' "$log"
    [ "$code" = 0 ] || { tail -n 40 "$log"; return 1; }
}

bad=0
running=0
for name in "${names[@]}"; do
    one "$name" &
    running=$((running + 1))
    if [ $running -ge "$(nproc)" ]; then
        wait -n || bad=1
        running=$((running - 1))
    fi
done
while [ $running -gt 0 ]; do
    wait -n || bad=1
    running=$((running - 1))
done
exit $bad
