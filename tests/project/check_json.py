#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""Every --json against its schema: check_json.py SOURCE TOOL WORK_DIR."""
import json
import os
import re
import subprocess
import sys

import jsonschema

source, tool, work = sys.argv[1:]
demo = source + "/data/demo"
os.chdir(work)
CALIBRATION_KEYS = ("marlinspike", "device", "made", "accel", "gyro", "mag", "mount", "declination_deg")


def load(path):
    schema = json.load(open(path))
    jsonschema.Draft202012Validator.check_schema(schema)
    return jsonschema.Draft202012Validator(schema)


schemas = {
    name.split(".")[0]: load(f"{source}/docs/schema/output/{name}")
    for name in os.listdir(source + "/docs/schema/output")
}
calibration = load(source + "/docs/schema/calibration.schema.json")
seen = {name: set() for name in schemas}


def run(line, codes=(0,)):
    """Runs a command with --json; its object fits the schema, and with one key more it does not."""
    words = line.split()
    done = subprocess.run([tool, *words, "--json"], capture_output=True, text=True)
    assert done.returncode in codes, (line, done.returncode, done.stderr)
    schema = schemas[words[0]]
    for text in done.stdout.splitlines() if words[0] == "live" else [done.stdout]:
        document = json.loads(text, parse_constant=lambda x: 1 / 0)
        schema.validate(document)
        assert not schema.is_valid({**document, "no such key": 1}), line
        seen[words[0]] |= set(document)
    if words[0] == "calibrate":
        made = document.get("calibration") or {k: document[k] for k in CALIBRATION_KEYS if k in document}
        calibration.validate(made)


listed = subprocess.run([tool, "--help"], capture_output=True, text=True).stdout
commands = set(re.findall(r"^  ([a-z]+)  ", listed, re.M))
assert commands == set(schemas), commands ^ set(schemas)

for scene in ("still", "turns", "poses", "tumble", "soak"):
    run(f"simulate --scene {scene} --seed 3 -o {scene}.csv --truth {scene}.truth.csv")
run("simulate --scene drive --speed --duration 20 -o drive.csv")
open("empty.csv", "w").write("t[s],gyro_x[rad/s],gyro_y[rad/s],gyro_z[rad/s]\n")
with open("phone.csv", "w") as phone:
    for row in open("tumble.csv").readlines()[2:]:
        v = [float(x or "nan") for x in row.split(",")[:7]]
        phone.write(";".join(f"{x:.6g}" for x in (1000 * v[0], *(x / 9.81 for x in v[1:4]), *v[4:7])) + "\n")
with open("moved.csv", "w") as moved:  # a lid moves: 3 uT more from 20 to 32 s
    lines = open("tumble.csv").readlines()
    at = next(k for k, name in enumerate(lines[1].split(",")) if name.startswith("mag_y"))
    for row in lines:
        v = row.rstrip("\n").split(",")
        if v[0][0].isdigit() and 20 <= float(v[0]) < 32 and v[at]:
            v[at] = repr(float(v[at]) + 3)
        moved.write(",".join(v) + "\n")
run(f"search {demo}/lift.csv --reference {demo}/lift.reference.csv --filter complementary --limit 20 --trade tilt_time")
run(f"search {demo}/lift.csv --reference smooth --vary mag_noise --vary weighting --limit 10 --worst")
run(f"inspect {demo}/lift.csv")
run("inspect drive.csv")
run(f"inspect {demo}/handle.csv --delay mag=0.04 -o moved_mag.csv")
run("inspect still.csv --against " + demo + "/still.csv", (0, 1))
run("inspect phone.csv", (0, 3))
for kind in ("still", "turns", "poses", "tumble", "soak"):
    run(f"calibrate {kind} {kind}.csv --into cal.json")
run("calibrate tumble moved.csv")
run("calibrate axes tumble.csv --into cal.json")
run("calibrate moves poses.csv --into cal.json")
for kind in ("poses", "tumble", "axes", "turns", "soak", "moves"):
    run(f"calibrate {kind} still.csv", (4,))
run("calibrate still tumble.csv", (4,))
run("calibrate still empty.csv", (4,))
run("zero still.csv --into cal.json")
for recording in ("poses", "tumble", "turns", "still"):
    run(f"verify cal.json {recording}.csv", (0, 1))
run(f"correct {demo}/lift.csv --calibration cal.json -o corrected.csv")
run("export cal.json --as c-header -o cal.h")
run("export cal.json --as store --tuning kalman -o cal.bin")
run("export cal.json --as chip-registers --rest rest.json -o cal_offsets.h")
for name in ("gyro", "vectors", "complementary", "gradient-descent", "kalman"):
    run(f"replay {demo}/lift.csv --tuning {name}")
    run(f"tuning {name}")
run(f"replay {demo}/handle.csv --on sim")
run(f"smooth {demo}/lift.csv -o smooth.csv")
run(f"smooth {demo}/handle.csv --gyro-matrix --into cal.json")
reference = f"--reference {demo}/lift.reference.csv"
run(f"compare {demo}/lift.csv {reference}")
run(f"compare {demo}/lift.csv --reference {demo}/lift.rig.csv --time-offset auto --match world+body --tuning kalman")
run(f"compare {demo}/lift.csv --reference smooth --tuning kalman --tuning vectors --rates 100,50")
run(f"compare {demo}/lift.csv {reference} --target --at-most 2")
pairs = " ".join(f"--case {demo}/{name}.csv={demo}/{name}.reference.csv" for name in ("lift", "handle"))
run(f"compare {pairs} --tuning gyro")
run("record --from sim:lift --until 5 -o lift.csv")
run("record --from sim:lift --until poses -o short.csv", (4,))
run("send --to sim --calibration cal.json --tuning kalman --commit")
run("send --to sim --calibrate tumble --commit")
run("live --from sim:handle --no-page --pace 0 --updates 20 --duration 3 --tuning kalman --tuning gyro")
run("demo demo")
for name, schema in schemas.items():
    known = set(schema.schema["properties"])
    unseen = known - seen[name] - set(CALIBRATION_KEYS)
    assert not unseen, f"{name}: {unseen} is in the schema and never in the output"
print(len(schemas), "commands give what docs/schema/output says")
