#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""Functions stay small: check_functions.py SOURCE

Under 1 % have more than five parameters, 90 % have under 30 lines, the median has at most 12.
"""
import pathlib
import re
import statistics
import sys

FUNCTION = re.compile(r"^(?:[a-z_A-Z][\w \*]*?)\b(\w+)\(([^;{}]*?)\)\s*\{", re.M | re.S)
KEYWORDS = {"if", "for", "while", "switch"}


def body_lines(text, start):
    depth, k = 1, start
    while depth:
        depth += (text[k] == "{") - (text[k] == "}")
        k += 1
    return text.count("\n", start, k)


def functions(folder):
    for path in sorted(folder.rglob("*.c")):
        text = re.sub(r"/\*.*?\*/", "", path.read_text(), flags=re.S)
        text = re.sub(r'"(?:\\.|[^"\\])*"|\'(?:\\.|[^\'\\])\'', '""', text)
        for found in FUNCTION.finditer(text):
            name, given = found.group(1), found.group(2).strip()
            if name not in KEYWORDS:
                count = 0 if given in ("", "void") else given.count(",") + 1
                yield path, name, count, body_lines(text, found.end())


def main():
    source = pathlib.Path(sys.argv[1])
    every = [f for room in ("src", "port") for f in functions(source / room)]
    many = [f for f in every if f[2] > 5]
    lengths = [f[3] for f in every]
    small = sum(n < 30 for n in lengths) / len(lengths)
    median = statistics.median(lengths)
    for path, name, count, _ in many:
        print(f"{path.relative_to(source)}: {name} has {count} parameters")
    print(f"{len(every)} functions: {100 * len(many) / len(every):.2f} % with more than five parameters, "
          f"median {median:.0f} lines, {100 * small:.1f} % under 30")
    return 0 if len(many) < 0.01 * len(every) and small >= 0.9 and median <= 12 else 1


sys.exit(main())
