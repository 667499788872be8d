#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# The C code of a page as one file: code_of_page.sh PAGE FILE.c
set -euo pipefail
sed -n '/^```c$/,/^```$/p' "$1" | grep -v '^```' >"$2"
