#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""A body on the terminal that turns with the board:
marlinspike live --from serial:/dev/ttyUSB0 --tuning kalman --no-page --json | follow.py"""
import json
import math
import sys

CORNERS = [(x, y, z) for x in (-1.6, 1.6) for y in (-1, 1) for z in (-0.2, 0.2)]
for line in sys.stdin:
    run = json.loads(line)["runs"][0]
    w, x, y, z = run["q"] or (1, 0, 0, 0)
    rows = [[" "] * 60 for _ in range(22)]
    for a in range(60):  # twelve edges, five points each
        i, j = [(i, j) for i in range(8) for j in range(i) if bin(i ^ j).count("1") == 1][a // 5]
        p = [u + (v - u) * (a % 5) / 4 for u, v in zip(CORNERS[i], CORNERS[j])]
        t = [2 * (y * p[2] - z * p[1]), 2 * (z * p[0] - x * p[2]), 2 * (x * p[1] - y * p[0])]
        east = p[0] + w * t[0] + y * t[2] - z * t[1]
        up = p[2] + w * t[2] + x * t[1] - y * t[0]
        rows[11 - math.floor(5 * up)][30 + math.floor(12 * east)] = "#"
    print("\033[H\033[J" + "\n".join("".join(r) for r in rows), f"\n{run['name']}: heading {run['heading_deg']} deg")
