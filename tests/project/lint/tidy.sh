#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# clang-tidy, without its count of suppressed warnings: every other line that it prints is a finding or a failure.
set -euo pipefail
errors=$(mktemp)
trap 'rm -f "$errors"' EXIT
status=0
# A third of the paths that the analyzer takes if it is let: half of the time.
less=(--extra-arg-before=-Xclang --extra-arg-before=-analyzer-config --extra-arg-before=-Xclang --extra-arg-before=max-nodes=75000)
clang-tidy --quiet "${less[@]}" "$@" 2>"$errors" || status=$?
grep -vE '^[0-9]+ warnings? (generated|treated as errors)|^Suppressed|^Use -|^$' "$errors" >&2 && status=1
exit $status
