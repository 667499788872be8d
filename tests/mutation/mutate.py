#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""Changes each constant of the estimators by a factor of two and runs the behavioural tests: mutate.py SOURCE [REGEX]

Works on a copy. A change that no test notices is printed as NOT NOTICED; the exit code is 1 when there is one. Digests
and known answers are not among these tests: any change breaks them.
"""
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile

SOURCE = pathlib.Path(sys.argv[1]).resolve()
ONLY = sys.argv[2] if len(sys.argv) > 2 else ""
TESTS = ["device_test_estimator_limits", "device_test_field_reference", "device_test_kalman_weights",
         "device_test_kalman_resets", "device_test_estimator", "device_test_estimator_gains", "device_test_axis_filter",
         "device_test_estimator_holds", "lab_test_estimators"]
DEFINE = re.compile(r"^(#define ([A-Z][A-Z_0-9]*) +)\(?(-?[0-9][0-9.e+-]*)(f?)\b(.*)$")
# Not changed, and why: a factor of two has no meaning, or is meant to have no effect.
NOT_SHAPING = {
    "TWO_PI": "a number of mathematics",
    "RENORMALIZE_EVERY": "rounding alone: the length of q is off by some 1e-6 before",
    "SPEED_WALK": "keeps a variance from vanishing, far below what else there is",
    "MIN_VARIANCE": "keeps rounding from making a variance negative",
    "MIN_EVIDENCE": "a division by what is zero",
    "MAX_HEADING_TURN": "no limit: more than half a turn",
    "ESTIMATOR_MAX_TIME": "keeps a time finite: a day and longer",
}


def run(words, folder, seconds=600):
    return subprocess.run(words, cwd=folder, capture_output=True, text=True, timeout=seconds).returncode


def noticed(copy):
    if run(["cmake", "--build", "build/mutation", "--target", *TESTS], copy) != 0:
        return "does not compile"
    for test in TESTS:
        try:
            if run([f"./build/mutation/tests/{test}"], copy) != 0:
                return test
        except subprocess.TimeoutExpired:
            return test + " (never ends)"
    return None


def mutations(copy):
    for path in sorted((copy / "src/device/attitude").glob("*.[ch]")):
        lines = path.read_text().splitlines(keepends=True)
        for i, line in enumerate(lines):
            found = DEFINE.match(line)
            name = found.group(2) if found else ""
            if found and name not in NOT_SHAPING and re.search(ONLY, f"{path.name}:{name}"):
                for factor in (2.0, 0.5):
                    value = float(found.group(3)) * factor
                    whole = "." not in found.group(3) and "e" not in found.group(3)
                    text = str(max(1, round(value))) if whole else f"{value!r}{found.group(4)}"
                    changed = lines[:i] + [f"{found.group(1)}{text}{found.group(5)}\n"] + lines[i + 1:]
                    yield path, lines, changed, f"{path.name}: {name} {found.group(3)} -> {text}"


def main():
    with tempfile.TemporaryDirectory() as folder:
        copy = pathlib.Path(folder) / "copy"
        shutil.copytree(SOURCE, copy, ignore=shutil.ignore_patterns("build", ".git"))
        run(["cmake", "-S", ".", "-B", "build/mutation", "-G", "Ninja", "-DCMAKE_BUILD_TYPE=Release",
             "-DMARLINSPIKE_TESTS=ON"], copy)
        broken = noticed(copy)
        if broken:
            sys.exit(f"the unchanged source fails {broken}")
        missed = total = 0
        for path, lines, changed, what in mutations(copy):
            path.write_text("".join(changed))
            by = noticed(copy)
            path.write_text("".join(lines))
            total += 1
            missed += by is None
            print(f"{'NOT NOTICED' if by is None else 'noticed':12} {what}   {by or ''}", flush=True)
        print(f"{total} changes, {missed} not noticed")
        return 1 if missed else 0


sys.exit(main())
