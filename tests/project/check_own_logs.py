#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""The first useful result on somebody's own log takes three commands at most: check_own_logs.py TOOL.

Six files that no page uses, as other loggers write them, of simulated motions whose truth is known. The first command
is the README's for such a file; the next is the one that the tool prints. The attitude's tilt must be right."""
import datetime
import math
import os
import re
import shlex
import subprocess
import sys
import tempfile

TOOL = os.path.abspath(sys.argv[1])
GRAVITY, DEGREE = 9.80665, 180 / math.pi
FEW_DEGREES = 3  # of tilt, rms: sensors without calibration


def rows(path):
    with open(path, encoding="utf-8") as f:
        lines = [line.rstrip("\n").split(",") for line in f if line[0] not in "#t"]
    return [[float(c) if c else None for c in line] for line in lines]


def write(path, head, lines):
    os.makedirs(os.path.dirname(path) or ".", exist_ok=True)
    with open(path, "w", encoding="utf-8") as f:
        f.write(head)
        f.writelines(line + "\n" for line in lines)


def a_phone(log):
    """A folder, a file for each sensor, ns since 1970, tabs."""
    for name, first in (("acc", 1), ("gyr", 4), ("mag", 7)):
        write(f"phone/{name}.txt", "timestamp_ns\tX\tY\tZ\n",
              (f"{1.8e18 + r[0] * 1e9:.0f}\t" + "\t".join(f"{v:.5f}" for v in r[first:first + 3])
               for r in log if r[first] is not None))
    return "phone"


def a_text_board(log):
    """Numbers with their names, a greeting before them."""
    write("board.txt", "-- imu demo v3 --\nready\n",
          ("T={:.0f} AX={:.3f} AY={:.3f} AZ={:.3f} GX={:.2f} GY={:.2f} GZ={:.2f}".format(
              r[0] * 1e3, *(v / GRAVITY for v in r[1:4]), *(v * DEGREE for v in r[4:7])) for r in log))
    return "board.txt"


def a_spreadsheet(log):
    """Semicolons, decimal commas, names in German, mg and mdeg/s."""
    head = "Zeit (s)" + "".join(f";Beschl. {k} (mg)" for k in "XYZ") + "".join(f";Drehrate {k} (mdps)" for k in "XYZ")
    write("tabelle.csv", "Messung vom 3. November\n\n" + head + "\n",
          ("{:.3f};{:.1f};{:.1f};{:.1f};{:.0f};{:.0f};{:.0f}".format(
              r[0], *(v / GRAVITY * 1e3 for v in r[1:4]), *(v * DEGREE * 1e3 for v in r[4:7])).replace(".", ",")
           for r in log))
    return "tabelle.csv"


def counts(log):
    """Counts behind a word, with a clock in us that wraps; what a count is worth stands in the data sheet."""
    write("counts.log", "",
          ("$IMU,{:.0f},{:.0f},{:.0f},{:.0f},{:.0f},{:.0f},{:.0f}".format(
              (4.29e9 + round(r[0] * 1e6)) % 2 ** 32, *(v / GRAVITY / 0.122e-3 for v in r[1:4]),
              *(v * DEGREE / 0.07 for v in r[4:7])) for r in log))
    return "counts.log", "t=2[us]; accel=3,4,5[0.122 mg]; gyro=6,7,8[0.07 deg/s]"


def dates(log):
    """A date in each row, the gyroscope first."""
    start = datetime.datetime(2026, 11, 3, 23, 59, 50)
    head = "time,temp," + ",".join(f"gyro_{k} (deg/s)" for k in "xyz") + "," + ",".join(f"acc_{k} (mg)" for k in "xyz")
    write("dates.csv", head + "\n",
          ("{}Z,24.1,{:.3f},{:.3f},{:.3f},{:.1f},{:.1f},{:.1f}".format(
              (start + datetime.timedelta(seconds=r[0])).isoformat(timespec="milliseconds"),
              *(v * DEGREE for v in r[4:7]), *(v / GRAVITY * 1e3 for v in r[1:4])) for r in log))
    return "dates.csv"


def events(log):
    """A row for each reading, by its label; the gyroscope's come in batches of ten, late."""
    lines, late = [], []
    for i, r in enumerate(log):
        t = f"{r[0] * 1e6:.0f}"
        lines.append(f"A {t} " + " ".join(f"{v / GRAVITY:.4f}" for v in r[1:4]))
        late.append(f"G {t} " + " ".join(f"{v * DEGREE:.3f}" for v in r[4:7]))
        if r[7] is not None:
            lines.append(f"M {t} " + " ".join(f"{v:.2f}" for v in r[7:10]))
        if i % 10 == 9:
            lines.append(f"BAT {t} 3.71")
            lines += late
            late = []
    write("events.txt", "", lines + late)
    return "events.txt"


def tool(*words):
    done = subprocess.run([TOOL, *words], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, check=False)
    return done.returncode, done.stdout, done.stderr


def make_log(file, columns):
    """From the file to log.csv as the README and the tool say; returns how many commands it took."""
    first = ["inspect", file] + (["--columns", columns] if columns else []) + ["-o", "log.csv"]
    code, out, err = tool(*first)
    if code == 0:
        return 1
    printed = re.search(r"^  marlinspike (inspect .*)$", out, re.M)
    if not printed:
        sys.exit(f"{file}: no command for it: {err}")
    code, _, err = tool(*shlex.split(printed.group(1)), "-o", "log.csv")
    if code != 0:
        sys.exit(f"{file}: the command that was printed fails: {err}")
    return 2


def up_in_body(q):
    w, x, y, z = q
    return 2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)


def tilt_error(found, truth):
    squares = 0
    for a, b in zip(found, truth):
        cosine = sum(u * v for u, v in zip(up_in_body(a[1:5]), up_in_body(b[1:5])))
        squares += math.acos(max(-1, min(1, cosine))) ** 2
    return math.sqrt(squares / len(found)) * DEGREE


def main():
    bad = 0
    for seed, (scene, logger) in enumerate([("handle", a_phone), ("carry", a_text_board), ("lift", a_spreadsheet),
                                            ("tumble", counts), ("upside", dates), ("carry", events)], 811):
        with tempfile.TemporaryDirectory() as folder:
            os.chdir(folder)
            tool("simulate", "--scene", scene, "--seed", str(seed), "--duration", "40", "--quiet", "-o", "sim.csv",
                 "--truth", "truth.csv")
            made = logger(rows("sim.csv"))
            file, columns = made if isinstance(made, tuple) else (made, None)
            commands = make_log(file, columns) + 1
            code, _, err = tool("replay", "log.csv", "--tuning", "kalman", "-o", "attitude.csv")
            if code != 0:
                sys.exit(f"{file}: {err}")
            found, truth = rows("attitude.csv"), rows("truth.csv")
            error = tilt_error(found, truth)
            good = commands <= 3 and len(found) == len(truth) and error < FEW_DEGREES
            print(f"{file}: {commands} commands, tilt {error:.2f} deg rms over {len(found)} rows"
                  + ("" if good else "  TOO BAD"))
            bad += not good
            os.chdir("/")
    return bad > 0


sys.exit(main())
