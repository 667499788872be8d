#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""The commands of the pages run as they stand and print what stands there: check_pages.py SOURCE TOOL.

A block ```console holds lines "$ COMMAND", and below each lines that its output must hold, in this order. Runs of
blanks count as one, and a line may go on where the page has its beginning. Numbers may differ by 3 %, or by one and a
half units of their last digit: least squares depend on the machine. A block ```python runs as it is, one ```c
compiles."""
import os
import re
import shutil
import subprocess
import sys
import tempfile

source, tool = os.path.abspath(sys.argv[1]), os.path.abspath(sys.argv[2])
NUMBER = re.compile(r"[+-]?\d+(?:\.\d+)?")


def is_same_number(wanted, found):
    digits = len(wanted.partition(".")[2])
    near = max(0.03 * abs(float(wanted)), 1.5 * 10 ** -digits if digits else 0)
    return abs(float(wanted) - float(found)) <= near


def fits(wanted, found):
    """The words of `found` begin with those of `wanted`."""
    a, b = wanted.split(), found.split()
    for x, y in zip(a, b):
        shape = NUMBER.sub("#", x) == NUMBER.sub("#", y)
        if not shape or not all(map(is_same_number, NUMBER.findall(x), NUMBER.findall(y))):
            return False
    return len(a) <= len(b)


def blocks(page):
    with open(page, encoding="utf-8") as f:
        return re.findall(r"^```(console|python|c)\n(.*?)^```$", f.read(), re.M | re.S)


def run(words, folder, **more):
    path = os.path.join(folder, "bin") + os.pathsep + os.environ["PATH"]
    done = subprocess.run(words, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False,
                          env={**os.environ, "PATH": path, "HOME": folder}, **more)
    return done.returncode, done.stdout


def check_console(block, folder, page):
    faults, commands = [], 0
    for part in re.split(r"^\$ ", block, flags=re.M)[1:]:
        command, *wanted = part.rstrip("\n").split("\n")
        code, output = run(command, folder, shell=True)
        commands += 1
        if code not in (0, 1):
            faults.append(f"{page}: exit {code}: {command}\n{output}")
        left = output.split("\n")
        for line in wanted:
            at = next((i for i, found in enumerate(left) if fits(line, found)), None)
            if at is None:
                faults.append(f"{page}: {command}\n  does not print: {line}\n  but:\n{output}")
                break
            left = left[at + 1:]
    return faults, commands


def check_c(block, folder, page):
    """The firmware's lines compile, with what the session before has exported."""
    lines = block.split("\n")
    head = [x for x in lines if x.startswith("#")]
    head += ["int board_read(marl_sample *);", "void use(marl_quat, marl_rpy);"]
    body = ["int main(void) {", "marl_sample sample;", "marl_quat q;"]
    body += [x for x in lines if not x.startswith("#")] + ["}"]
    with open(os.path.join(folder, "page.c"), "w", encoding="ascii") as f:
        f.write("\n".join(head + body) + "\n")
    code, output = run(["cc", "-std=c11", "-Wall", "-Werror", f"-I{source}/include", "-I.", "-fsyntax-only", "page.c"],
                       folder)
    return [f"{page}: does not compile: {output}"] if code != 0 else []


def check(page):
    faults, commands = [], 0
    with tempfile.TemporaryDirectory() as folder:
        os.mkdir(os.path.join(folder, "bin"))
        os.symlink(tool, os.path.join(folder, "bin", "marlinspike"))
        for data in ("demo", "elsewhere"):
            shutil.copytree(f"{source}/data/{data}", folder, dirs_exist_ok=True)
        for kind, block in blocks(f"{source}/{page}"):
            if kind == "python":
                code, output = run([sys.executable, "-c", block], folder)
                faults += [f"{page}: {output}"] if code != 0 else []
                commands += 1
            elif kind == "c":
                faults += check_c(block, folder, page)
            else:
                more, n = check_console(block, folder, page)
                faults += more
                commands += n
    return faults, commands


faults = []
for page in ("README.md", "docs/tutorial.md", "docs/your-data.md", "docs/tuning.md"):
    found, commands = check(page)
    assert commands > 0, page
    faults += found
    print(f"{page}: {commands} commands, {len(found)} that are not as they stand")
print("\n".join(faults))
sys.exit(bool(faults))
