#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# clang-tidy, without its count of suppressed warnings: every other line that it prints is a finding or a failure.
set -euo pipefail
errors=$(mktemp)
trap 'rm -f "$errors"' EXIT
status=0
clang-tidy --quiet "$@" 2>"$errors" || status=$?
grep -vE '^[0-9]+ warnings? (generated|treated as errors)|^Suppressed|^Use -|^$' "$errors" >&2 && status=1
exit $status
