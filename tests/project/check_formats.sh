#!/usr/bin/env bash
# SPDX-License-Identifier: MIT
# JSON that ships and JSON that the tool writes is as docs/schema says: check_formats.sh SOURCE TOOL.
set -euo pipefail
source=$1 tool=$2
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
python=/usr/bin/python3
[ -x "$python" ] || python=python3
"$tool" calibrate still "$source/data/demo/still.csv" -o "$work/calibration.json" --quiet
"$tool" inspect "$source/data/demo/still.csv" --sheet-out "$work/sheet.json" --quiet
"$python" - "$source" "$work" <<'PYTHON'
import glob, json, os, sys
import jsonschema

source, work = sys.argv[1:]
schemas = {}
for path in glob.glob(source + "/docs/schema/*.schema.json"):
    schema = json.load(open(path))
    jsonschema.Draft202012Validator.check_schema(schema)
    schemas[schema["properties"]["marlinspike"]["const"]] = jsonschema.Draft202012Validator(schema)

files = [work + "/calibration.json", work + "/sheet.json"] + glob.glob(source + "/data/sheets/*.json") + glob.glob(source + "/data/tunings/*.json") + glob.glob(source + "/data/chips/*.json")
assert len(files) >= 3, files
for path in files:
    document = json.load(open(path))
    schemas[document["marlinspike"]].validate(document)
    document["no such key"] = 1
    assert not schemas[document["marlinspike"]].is_valid(document), path
print(len(files), "files are as", len(schemas), "schemas say")
PYTHON
# --json: an object of every command, of every kind of recording, accepted and not, is as docs/schema/output says.
"$python" "$source/tests/project/check_json.py" "$source" "$tool" "$work"
# A complete tuning file of every filter, every parameter in its group, is as the schema says, and reads back.
for filter in gyro vectors complementary gradient-descent kalman; do
    "$tool" tuning $filter -o "$work/$filter.json" --quiet
    "$tool" replay "$source/data/demo/still.csv" --tuning "$work/$filter.json" --quiet
done
"$python" - "$source" "$work" <<'PYTHON'
import json, sys
import jsonschema

source, work = sys.argv[1:]
schema = jsonschema.Draft202012Validator(json.load(open(source + "/docs/schema/tuning.schema.json")))
for name in ("gyro", "vectors", "complementary", "gradient-descent", "kalman"):
    schema.validate(json.load(open(f"{work}/{name}.json")))
PYTHON
for tuning in "$source"/data/tunings/*.json; do
    "$tool" replay "$source/data/demo/still.csv" --tuning "$tuning" --quiet
done
# the sheet that ships is the one built in
"$tool" simulate --scene lift --duration 5 --quiet -o "$work/a.csv"
"$tool" simulate --scene lift --duration 5 --quiet -o "$work/b.csv" --sheet "$source/data/sheets/grommet.json"
cmp "$work/a.csv" "$work/b.csv"
