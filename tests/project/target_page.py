#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""What the estimators cost on a microcontroller, as docs/target.md: target_page.py BUILD PAGE [--check]

Runs the images of ./run arm on the emulated cores. With --check the page is compared and not written: it may differ by
two percent."""
import os
import re
import subprocess
import sys

MACHINES = {"cortex-m4f": ("mps2-an386", "Cortex-M4F"), "cortex-m3": ("mps2-an385", "Cortex-M3")}
USES = {"gyro": "gyro alone, no correction",
        "complementary": "complementary or gradient descent, with correction",
        "kalman": "kalman, with correction and stillness",
        "app": "the streaming application, filters of constant gains",
        "renew": "the same, and it renews its calibrations itself"}
CLOCK_HZ, SHARE = 64e6, 0.1
HEAD = """# What it costs on a microcontroller

Written by `./run target`; `./run arm` fails where it is off by more than two percent. Built at `-Os`, run on emulated
cores, at 100 samples a second and 25 of the magnetometer.

**Instructions are counted, rates are estimated**: from the mean, at one instruction a clock cycle of 64 MHz and a tenth
of the processor. Flash with wait states is slower. The worst update is one that corrects; stack is measured by
painting, restarts included.

| core | filter | instructions, mean | worst | stack, bytes | rate at 10 % of 64 MHz, Hz |
| --- | --- | --- | --- | --- | --- |"""
SIZES = """
What the library takes in a firmware that names its filter ([how](porting.md#only-what-is-used)), start-up and loop
subtracted:

| core | firmware | flash, bytes | RAM, bytes |
| --- | --- | --- | --- |"""
RENEWAL = """
A calibration that the device renews itself (`renew.h`), during a tumble of a minute at 100 Hz:

| core | instructions of the worst call | stack, bytes | state, bytes |
| --- | --- | --- | --- |"""
TAIL = """
`compare --target` puts these costs beside the errors of each tuning, and `--at-most DEG` names the cheapest that is
good enough."""


def count(build, core):
    image = f"{build}/arm-{core}/port/cortex_m/count_image.elf"
    out = subprocess.run(["qemu-system-arm", "-M", MACHINES[core][0], "-icount", "shift=6", "-nographic",
                          "-semihosting-config", "enable=on,target=native", "-kernel", image],
                         stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
                         timeout=120, check=False).stdout
    renewal = re.findall(r"^  a renewal: worst +(\d+), stack +(\d+), state +(\d+)$", out, re.MULTILINE)
    return re.findall(r"^  ([a-z-]+): mean +(\d+), worst +(\d+), stack +(\d+)$", out, re.MULTILINE), renewal[0]


def sizes(build, core, use):
    image = f"{build}/arm-{core}/port/cortex_m/size_{use}.elf"
    out = subprocess.run(["arm-none-eabi-size", image], capture_output=True, text=True, check=True).stdout
    text, _, bss = out.splitlines()[1].split()[:3]
    return int(text), int(bss)


def rate(mean):
    hz = CLOCK_HZ * SHARE / mean
    return f"{hz:.0f}" if hz < 1000 else f"{hz / 1000:.1f} k"


def page(build):
    lines, counted = [HEAD], {core: count(build, core) for core in MACHINES}
    for core in MACHINES:
        for name, mean, worst, stack in counted[core][0]:
            lines.append(f"| {MACHINES[core][1]} | {name} | {mean} | {worst} | {stack} | {rate(int(mean))} |")
    lines.append(SIZES)
    for core in MACHINES:
        alone = sizes(build, core, "alone")[0]
        for use, what in USES.items():
            text, ram = sizes(build, core, use)
            lines.append(f"| {MACHINES[core][1]} | {what} | {text - alone} | {ram} |")
    lines.append(RENEWAL)
    for core in MACHINES:
        lines.append(f"| {MACHINES[core][1]} | " + " | ".join(counted[core][1]) + " |")
    lines.append(TAIL)
    return "\n".join(lines) + "\n"


def numbers(text):
    return [float(word) for word in re.findall(r"(?<![\w.])\d+(?:\.\d+)?(?![\w.])", text)]


def main():
    build, path = sys.argv[1:3]
    made = page(build)
    if len(sys.argv) == 3:
        with open(path, "w", encoding="utf-8") as file:
            file.write(made)
        return 0
    held = open(path, encoding="utf-8").read() if os.path.exists(path) else ""
    a, b = numbers(held), numbers(made)
    if len(a) != len(b) or any(abs(x - y) > 0.02 * abs(y) for x, y in zip(a, b)):
        print(f"{path} is not what was measured: ./run target writes it", file=sys.stderr)
        return 1
    return 0


sys.exit(main())
