#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# Builds the WebAssembly module: build.sh FILE.wasm. The same sources and the same clang give the same bytes.
set -euo pipefail
out=$(realpath "$1")
cd "$(dirname "$0")/../../.."
clang --target=wasm32-wasi -O2 -std=c11 -ffp-contract=off -fno-math-errno -fno-vectorize -fno-slp-vectorize \
    -ffunction-sections -fdata-sections -Wall -Wextra -Werror -mexec-model=reactor -nostartfiles -Iinclude -Isrc \
    src/show/module/*.c src/lab/trace/trace.c src/lab/trace/trace_grid.c src/lab/trace/packed.c \
    src/lab/replay/replay_rows.c src/lab/replay/degradation.c src/lab/compare/compare.c src/lab/compare/measures.c \
    src/lab/compare/lag.c src/lab/compare/conditions.c src/lab/log/series.c src/lab/maths/statistics.c \
    src/lab/maths/random.c src/lab/inspect/spans.c src/device/math/*.c src/device/sensor/*.c src/device/attitude/*.c \
    -Wl,--no-entry,--gc-sections,--strip-all -o "$out"
chmod -x "$out"
