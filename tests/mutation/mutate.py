#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""Changes the source in small ways and runs the behavioural tests: mutate.py SOURCE [constants|sample|all] [REGEX]

constants  each named constant of the estimators, doubled and halved
all        comparisons of device, calibrate, compare and smooth, turned round, and the lab's named constants
sample     those of `all` that sample.txt lists: drawn at random once, so that they stay the same when the code grows
REGEX      only those changes whose "file: change" it fits

Works on a copy. A change that no test notices is printed as NOT NOTICED; the exit code is 1 when there is one without a
reason in sample.txt. Digests and known answers are not among these tests: any change breaks them.
"""
import os
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile

SOURCE = pathlib.Path(sys.argv[1]).resolve()
KIND = sys.argv[2] if len(sys.argv) > 2 else "constants"
ONLY = sys.argv[3] if len(sys.argv) > 3 else ""
ESTIMATORS = ["device_test_estimator_limits", "device_test_field_reference", "device_test_kalman_weights",
              "device_test_kalman_resets", "device_test_estimator", "device_test_estimator_gains",
              "device_test_axis_filter", "device_test_estimator_holds", "port_test_pipeline", "lab_test_estimators"]
# Which tests are to notice a change of a file: the first pattern that fits its path. Quick ones first.
TESTS = [
    (r"device/attitude/tuning", ["device_test_tuning", "device_test_estimator"]),
    (r"device/attitude/selftest", ["device_test_selftest"]),
    (r"device/attitude", ESTIMATORS),
    (r"device/math", ["device_test_quat", "device_test_frame", "device_test_root", "device_test_stats",
                      "device_test_estimator"]),
    (r"device/sensor", ["device_test_sample", "device_test_correction", "device_test_still", "port_test_pipeline"]),
    (r"device/renew", ["device_test_renew", "device_test_renew_rest", "port_test_renew"]),
    (r"device/bus", ["device_test_chip", "device_test_board", "device_test_port", "port_test_app", "port_test_sim"]),
    (r"device/link", ["device_test_cbor", "device_test_packet", "device_test_store", "device_test_telemetry",
                      "device_test_csv_line", "port_test_app"]),
    (r"calibrate/(ellipsoid|tumble|calibrate_tumble)", ["lab_test_ellipsoid", "lab_test_calibrate_tumble",
                                                        "lab_test_session", "lab_test_calibrate", "lab_test_verdicts"]),
    (r"calibrate/(moves|calibrate_moves)", ["lab_test_moves", "lab_test_session", "lab_test_verdicts"]),
    (r"calibrate/(zero|calibrate_axes|corrected)", ["lab_test_calibrate_axes", "lab_test_session"]),
    (r"calibrate/calibrate_still", ["lab_test_inspect", "lab_test_verdicts", "lab_test_session"]),
    (r"calibrate/verify", ["lab_test_calibrate", "lab_test_verdicts", "lab_test_moves"]),
    (r"lab/calibrate", ["lab_test_calibrate", "lab_test_session", "lab_test_verdicts", "lab_test_moves",
                        "lab_test_calibrate_tumble"]),
    (r"compare/match", ["lab_test_reference", "lab_test_study"]),
    (r"compare/ranking", ["lab_test_ranking", "lab_test_verdicts", "lab_test_study"]),
    (r"lab/compare", ["lab_test_compare", "lab_test_conditions", "lab_test_reference", "lab_test_study"]),
    (r"lab/smooth", ["lab_test_smooth", "lab_test_study"]),
]
DEFINE = re.compile(r"^(#define ([A-Z][A-Z_0-9]*) +)\(?(-?[0-9][0-9.e+-]*)(f?)\b(.*)$")
COMPARISON = re.compile(r" (<=|>=|<|>|==|!=) ")
TURNED = {"<": ">", ">": "<", "<=": ">=", ">=": "<=", "==": "!=", "!=": "=="}
# Loops, and what every run passes: a change would stop everything.
TRIVIAL = re.compile(r"^\s*(for|while) \(|\} while|MARL_OK|NULL|MARL_ERR|^\s*(\*|/\*)|#")
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


def run(words, folder, campaign=False):
    settings = {**os.environ, "CK_FORK": "yes"}
    settings.pop("MARLINSPIKE_CAMPAIGN", None)
    if campaign:
        settings["MARLINSPIKE_CAMPAIGN"] = "1"
    seconds = 600 if campaign or words[0] == "cmake" else 100
    return subprocess.run(words, cwd=folder, capture_output=True, text=True, timeout=seconds, env=settings).returncode


def tests_of(path):
    return next(tests for pattern, tests in TESTS if re.search(pattern, str(path)))


def noticed(copy, tests):
    """The test that fails: in a quick run, else in a campaign."""
    if run(["cmake", "--build", "build/mutation", "--target", *tests], copy) != 0:
        return "does not compile"
    for campaign in (False, True):
        for test in tests:
            try:
                if run([f"./build/mutation/tests/{test}"], copy, campaign) != 0:
                    return test + (" (campaign)" if campaign else "")
            except subprocess.TimeoutExpired:
                return test + " (never ends)"
    return None


def constants(path):
    for i, line in enumerate(path.read_text().splitlines(keepends=True)):
        found = DEFINE.match(line)
        if not found or found.group(2) in NOT_SHAPING:
            continue
        for factor in (2.0, 0.5):
            value = float(found.group(3)) * factor
            whole = "." not in found.group(3) and "e" not in found.group(3)
            text = str(max(1, round(value))) if whole else f"{value!r}{found.group(4)}"
            yield path, i, f"{found.group(1)}{text}{found.group(5)}\n", f"{found.group(2)} {found.group(3)} -> {text}"


def comparisons(path):
    for i, line in enumerate(path.read_text().splitlines(keepends=True)):
        if TRIVIAL.search(line):
            continue
        for found in COMPARISON.finditer(line.split("/*")[0]):
            turned = TURNED[found.group(1)]
            changed = line[:found.start()] + f" {turned} " + line[found.end():]
            yield path, i, changed, f"line {i + 1}: {line.strip()}  [{found.group(1)} -> {turned}]"


def files(copy, *folders):
    return sorted(path for folder in folders for path in (copy / "src" / folder).rglob("*.[ch]"))


def reasons():
    """The changes of the sample, each with the reason why no test need notice it, or without."""
    lines = (SOURCE / "tests/mutation/sample.txt").read_text().splitlines()
    return dict((line.split("  # ") + [""])[:2] for line in lines if line and not line.startswith("#"))


def name_of(path, what):
    return f"{path.name}: " + re.sub(r"^line \d+: ", "", what)


def changes(copy):
    if KIND == "constants":
        return [c for path in files(copy, "device/attitude") for c in constants(path)]
    lab = files(copy, "lab/calibrate", "lab/compare", "lab/smooth")
    every = [c for path in files(copy, "device") + lab for c in comparisons(path)]
    every += [c for path in lab for c in constants(path)]
    if KIND == "all":
        return every
    wanted = reasons()
    found = [c for c in every if name_of(c[0], c[3]) in wanted]
    for name in wanted.keys() - {name_of(c[0], c[3]) for c in found}:
        print(f"no longer in the source: {name}")
    return found


def main():
    with tempfile.TemporaryDirectory() as folder:
        copy = pathlib.Path(folder) / "copy"
        shutil.copytree(SOURCE, copy, ignore=shutil.ignore_patterns("build", ".git"))
        run(["cmake", "-S", ".", "-B", "build/mutation", "-G", "Ninja", "-DCMAKE_BUILD_TYPE=Release",
             "-DMARLINSPIKE_TESTS=ON"], copy)
        missed = known = total = 0
        reason = reasons()
        for path, i, line, what in changes(copy):
            if not re.search(ONLY, f"{path.name}: {what}"):
                continue
            text = path.read_text()
            lines = text.splitlines(keepends=True)
            path.write_text("".join(lines[:i] + [line] + lines[i + 1:]))
            by = noticed(copy, tests_of(path.relative_to(copy)))
            path.write_text(text)
            why = reason.get(name_of(path, what), "") if by is None else ""
            total += 1
            missed += by is None and not why
            known += why != ""
            print(f"{'NOT NOTICED' if by is None else 'noticed':12} {path.name}: {what}   {by or why}", flush=True)
        print(f"{total} changes, {known} not noticed for a known reason, {missed} not noticed")
        return 1 if missed else 0


sys.exit(main())
