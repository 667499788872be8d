#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The module that is shipped is what its sources give: check_module.sh SOURCE. Exit 77 (skipped) with another clang.
set -euo pipefail
cd "$1"
clang --version | grep -q 'clang version 14\.' || { echo "the module is built by clang 14; skipped"; exit 77; }
built=$(mktemp)
trap 'rm -f "$built"' EXIT
src/show/module/build.sh "$built"
cmp "$built" src/show/module/marlinspike.wasm || {
    echo "src/show/module/marlinspike.wasm is not what the sources give: ./run module builds it"
    exit 1
}
