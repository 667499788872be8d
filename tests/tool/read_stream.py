# SPDX-License-Identifier: MIT
"""Decodes a device stream with cbor2, and compares it with the log that the tool made of it."""
import csv
import struct
import sys
import zlib

import cbor2


def unstuff(packet):
    out, at = bytearray(), 0
    while at < len(packet):
        code = packet[at]
        out += packet[at + 1 : at + code]
        at += code
        if code != 255 and at < len(packet):
            out.append(0)
    return bytes(out)


def items(stream):
    for packet in stream.split(b"\0")[1:-1]:  # the first and the last may be cut
        if packet:
            contents = unstuff(packet)
            body, check = contents[:-4], struct.unpack("<I", contents[-4:])[0]
            assert zlib.crc32(body) == check, "CRC"
            yield cbor2.loads(body)


def single(value):
    return struct.unpack("<f", struct.pack("<f", float(value)))[0]


stream, log = sys.argv[1:]
found = list(items(open(stream, "rb").read()))
numbers = [item[1] for item in found]
# What waited in the line before anybody read it may end in a gap: 4 KiB, under a hundred items.
steps = [b - a for a, b in zip(numbers, numbers[1:])]
assert all(step == 1 for step in steps[100:]), "numbers go up by one"
assert all(step >= 1 for step in steps) and sum(step > 1 for step in steps) <= 1, steps[:100]
samples = [item[2] for item in found if item[0] == 1]
rows = [row for row in csv.reader(open(log)) if row and not row[0].startswith("#")]
header, rows = rows[0], rows[1:]
columns = {"accel_x": (2, 0), "gyro_z": (3, 2), "mag_y": (4, 1), "q_w": (7, 0), "q_z": (7, 3)}
names = [name.split("[")[0] for name in header]
assert len(samples) > 100 and len(samples) == len(rows), (len(samples), len(rows))
for sample, row in zip(samples, rows):
    whole, part = row[0].split(".")
    assert sample[1] == int(whole) * 10**9 + int(part), "time"
    assert single(row[names.index("temp")]) == sample[5], "temperature"
    for name, (key, axis) in columns.items():
        cell = row[names.index(name)]
        assert (cell != "") == (key in sample), name
        assert cell == "" or single(cell) == sample[key][axis], name
attitudes = [s[7] for s in samples if 7 in s]
assert len(attitudes) > 50 and all(abs(sum(x * x for x in q) - 1) < 1e-6 for q in attitudes)
print(len(samples), "samples agree,", len(attitudes), "with an attitude")
