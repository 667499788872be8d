#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""A log as bytes for port/cortex_m/log_digests.h: log_samples.py LOG >samples"""
import csv
import struct
import sys

names = [f"{sensor}_{axis}" for sensor in ("accel", "gyro", "mag") for axis in "xyz"] + ["temp"]
with open(sys.argv[1], encoding="ascii") as log:
    rows = csv.reader(line for line in log if not line.startswith("#"))
    at = {column.split("[")[0]: i for i, column in enumerate(next(rows))}
    for row in rows:
        cells = [row[at[name]] if name in at else "" for name in names]
        fresh = sum(1 << k for k in range(3) if all(cells[3 * k:3 * k + 3])) + (8 if cells[9] else 0)
        seconds, _, nanos = row[at["t"]].partition(".")
        t_ns = int(seconds) * 10**9 + int((nanos + "0" * 9)[:9])
        values = [float(cell) if cell else 0.0 for cell in cells]
        sys.stdout.buffer.write(struct.pack("<qB3x10f", t_ns, fresh, *values))
