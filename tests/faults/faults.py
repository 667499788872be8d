#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""Faults in every command that writes: each allocation fails, each system call on files fails, the process is
killed, the disk is full. What has to hold afterwards: no crash and no hang, no half file, no file that nobody asked
for, and no success with a wrong result.

  faults.py TOOL FAIL_ALLOC_LIBRARY [allocations|io|kills|disk ...] [--share N] [--only REGEX]
  (one fault in N; commands that match)
"""
import concurrent.futures
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time

TOOL, LIBRARY = os.path.abspath(sys.argv[1]), os.path.abspath(sys.argv[2])
ALL_KINDS = ("allocations", "io", "kills", "disk")
KINDS = [word for word in sys.argv[3:] if word in ALL_KINDS] or ALL_KINDS
ONLY = sys.argv[sys.argv.index("--only") + 1] if "--only" in sys.argv else ""
SHARE = int(sys.argv[sys.argv.index("--share") + 1]) if "--share" in sys.argv else 1

# The inputs, and the commands that are disturbed; what they write is named by its suffix `.out`.
INPUTS = [
    "simulate --scene still --duration 12 --seed 5 -o still.csv",
    "simulate --scene poses --seed 5 --rate 50 -o poses.csv",
    "simulate --scene tumble --seed 5 --rate 50 -o tumble.csv",
    "simulate --scene turns --seed 5 --rate 50 -o turns.csv",
    "simulate --scene soak --seed 5 --rate 5 -o soak.csv",
    "simulate --scene lift --duration 21 --seed 5 --rate 50 -o lift.csv --truth ref.csv",
    "simulate --scene lift --duration 36 --seed 6 --rate 25 -o long.csv --truth long.ref.csv",
    "calibrate still still.csv --into cal.json",
    "calibrate poses poses.csv --into cal.json",
    "tuning kalman -o tuning.json",
]
COMMANDS = [
    "simulate --scene lift --duration 1 --seed 3 --rate 50 -o log.out --truth truth.out",
    "calibrate still still.csv --into cal.out --figure fig.out.svg",
    "calibrate poses poses.csv --into cal.out",
    "calibrate tumble tumble.csv --into cal.out --json --figure fig.out.gp --report page.out.html",
    "calibrate turns turns.csv --into cal.out --figure fig.out.png",
    "calibrate soak soak.csv --into cal.out --figure fig.out.png",
    "calibrate axes tumble.csv --into cal.out",
    "zero still.csv --into cal.out",
    "correct lift.csv --calibration cal.json -o log.out",
    "export cal.json --as c-header --tuning kalman -o header.out",
    "export cal.json --as store --tuning kalman -o image.out",
    "replay lift.csv --calibration cal.json --tuning tuning.json -o log.out --json",
    "compare lift.csv --reference ref.csv --tuning kalman --json --report page.out.html",
    "calibrate poses poses.csv --into cal.out --figure fig.out.png --report page.out.html",
    "calibrate moves poses.csv --into cal.out --figure fig.out.svg",
    "smooth lift.csv --calibration cal.json -o log.out --json",
    "replay lift.csv --tuning kalman --quiet --report page.out.html",
    "replay lift.csv --tuning kalman --write rpy,matrix,bias -o log.out --json --figure fig.out.svg",
    "compare lift.csv --reference smooth --match world --calibration cal.json --tuning kalman --json",
    "inspect still.csv --json --figure fig.out.png",
    "smooth lift.csv --figure fig.out.png --into cal.out -o log.out",
    "compare lift.csv --reference ref.csv --tuning kalman --figure fig.out.svg",
    "inspect still.csv --sheet-out sheet.out -o log.out",
    "verify cal.json still.csv --json --report page.out.html --figure fig.out.png",
    "tuning complementary -o tuning.out",
    "inspect lift.csv ref.csv -o log.out",
    "compare lift.csv --reference ref.csv:t=1[s];q=2,3,4,5 --tuning kalman --json",
    "search long.csv --reference long.ref.csv --filter complementary --vary tilt_time --limit 4 --quiet "
    "-o tuning.out --sweep-out trials.out",
    "record --from sim:still --until 1 --quiet -o log.out",
    "live --from sim:still --duration 2 --pace 0 --no-page --quiet --record log.out",
    "send --to sim --calibration cal.json --tuning tuning.json --commit",
    "send --to sim --calibrate still --json",
]
# What draws, or writes a page.
DRAWING = "--figure|--report"
# What is killed again and again.
KILLED = "calibrate poses|record|correct|smooth|inspect.*--figure|compare.*--figure"
CALLS = "openat,read,write,lseek,fsync,rename,renameat,renameat2,close,fchmod,flock,ftruncate,mkdir,unlink," \
        "newfstatat,fstat,readlink"
TIMEOUT = 8


def run(words, folder, env=None, prefix=()):
    child = subprocess.Popen([*prefix, TOOL, *words], cwd=folder, env={**os.environ, **(env or {})},
                             stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
                             start_new_session=True)
    try:
        out, err = child.communicate(timeout=TIMEOUT)
        return child.returncode, out, err
    except subprocess.TimeoutExpired:
        os.killpg(child.pid, signal.SIGKILL)
        child.communicate()
        return "hangs", b"", b""


def plain(content):
    """Without what differs from run to run: the time at which a calibration was made."""
    return re.sub(rb'"made": "[^"]*"', b"", content)


INPUT_FILES = set()  # and what the harness itself puts there


def written(folder):
    """Every file that is there and was not before, whatever its name."""
    files = {}
    for name in os.listdir(folder):
        if name not in INPUT_FILES:
            with open(os.path.join(folder, name), "rb") as f:
                files[name] = plain(f.read())
    return files


class Trial:
    """One command in a folder of its own: what it writes undisturbed, and before it ran."""

    def __init__(self, command, inputs):
        self.words = command.split()
        self.command = command
        self.inputs = inputs
        with self.folder() as folder:
            self.before = written(folder)
            self.code, self.out, err = run(self.words, folder)
            assert self.code in (0, 1), f"{command}: exit {self.code}: {err.decode()}"
            self.after = written(folder)

    def folder(self):
        made = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        for name in os.listdir(self.inputs):
            os.link(os.path.join(self.inputs, name), os.path.join(made.name, name))
        if "--into" in self.command:
            shutil.copy(os.path.join(self.inputs, "cal.json"), os.path.join(made.name, "cal.out"))
        return made_folder(made)

    def check(self, code, out, folder, may_leave):
        """The finding, or None."""
        if code == "hangs" or (isinstance(code, int) and code < 0):
            return f"ends with {code}"
        now = written(folder)
        if code == self.code:
            if plain(out) != plain(self.out):
                return "success with another output"
            if {k: v for k, v in now.items() if ".tmp." not in k} != self.after:
                return "success with another file"
            return None
        for name, content in now.items():
            if name.endswith(".part") or (".tmp." in name and may_leave):
                continue
            if name not in self.after:
                return f"leaves {name}"
            if content not in (self.before.get(name), self.after.get(name)):
                return f"half a file: {name}"
        return None


class made_folder:
    def __init__(self, made):
        self.made = made

    def __enter__(self):
        return self.made.name

    def __exit__(self, *_):
        self.made.cleanup()


def allocations(trial):
    with trial.folder() as folder:
        counter = os.path.join(folder, "count")
        run(trial.words, folder, {"LD_PRELOAD": LIBRARY, "MARL_FAIL_COUNT": counter})
        with open(counter, encoding="ascii") as f:
            count = int(f.read())
    for number in range(1, count + 1):
        for on in "01":
            yield f"allocation {number}{' and later' if on == '1' else ''}", \
                {"LD_PRELOAD": LIBRARY, "MARL_FAIL_AT": str(number), "MARL_FAIL_ON": on}, ()


def tracer(trial):
    """Threads are followed, but not the program that draws."""
    return ("strace", "-qq") if re.search(DRAWING, trial.command) else ("strace", "-f", "-qq")


def calls(trial):
    with trial.folder() as folder:
        trace = os.path.join(folder, "trace")
        run(trial.words, folder, None, (*tracer(trial), "-o", trace, "-e", f"trace={CALLS}"))
        with open(trace, encoding="utf-8", errors="replace") as f:
            words = [line.split("(")[0].split() for line in f if "(" in line]
    names = [w[-1] for w in words if w and w[-1] in CALLS.split(",")]
    seen = {}
    for name in names:
        seen[name] = seen.get(name, 0) + 1
    for name, count in seen.items():
        for number in range(1, count + 1):
            for when in (f"{number}", f"{number}+"):
                inject = f"inject={name}:error={'ENOSPC' if name == 'write' else 'EIO'}:when={when}"
                yield f"{name} {when}", None, \
                    (*tracer(trial), "-o", "/dev/null", "-e", f"trace={name}", "-e", inject)


def disturb(trial, fault):
    what, env, prefix = fault
    with trial.folder() as folder:
        code, out, _ = run(trial.words, folder, env, prefix)
        # Where unlink or the writing itself fails for ever, a temporary file may stay; the next run clears it.
        finding = trial.check(code, out, folder, may_leave=bool(prefix))
    return f"{trial.command}: {what}: {finding}" if finding else None


def kill(trial, after_s, seed):
    with trial.folder() as folder:
        child = subprocess.Popen([TOOL, *trial.words], cwd=folder, stdin=subprocess.DEVNULL,
                                 stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(random.Random(seed).random() * after_s)
        child.kill()
        child.wait()
        finding = trial.check("killed", b"", folder, may_leave=True)
        if finding is None:  # the next run has to work and to clear up
            code, out, _ = run(trial.words, folder)
            left = [name for name in written(folder) if name not in trial.after and not name.endswith(".part")]
            part = [name for name in os.listdir(folder) if name.endswith(".part")]
            if code == 5 and part:  # it does not overwrite the .part of the one that was killed, which is a log
                empty = os.path.getsize(os.path.join(folder, part[0])) == 0  # killed before its first byte
                sound = empty or run(["inspect", part[0]], folder)[0] in (0, 4)
                code = trial.code if sound else "a broken .part"
            finding = f"the next run ends with {code}" if code != trial.code else f"{left} stay" if left else None
    return f"{trial.command}: killed: {finding}" if finding else None


def kills(trials, pool):
    total = 1000 // SHARE
    chosen = [t for t in trials if re.match(KILLED, t.command)]
    jobs = []
    for trial in chosen:
        started = time.monotonic()
        with trial.folder() as folder:
            run(trial.words, folder)
        took = time.monotonic() - started
        jobs += [(trial, 1.2 * took, seed) for seed in range(total // len(chosen) + 1)]
    return len(jobs), [f for f in pool.map(lambda job: kill(*job), jobs) if f]


def fill(trial, size_kb):
    """The command on a disk of its own, which is too small for what it writes, or not."""
    with tempfile.TemporaryDirectory() as disk:
        mount(disk, f"size={size_kb}k")
        try:
            for name in os.listdir(trial.inputs):
                os.symlink(os.path.join(trial.inputs, name), os.path.join(disk, name))
            if "--into" in trial.command:
                shutil.copy(os.path.join(trial.inputs, "cal.json"), os.path.join(disk, "cal.out"))
            code, out, _ = run(trial.words, disk)
            finding = trial.check(code, out, disk, may_leave=False)
            if finding is None and code not in (trial.code, 5):
                finding = f"ends with {code}"
            return code == 5, f"{trial.command}: a disk of {size_kb} KB: {finding}" if finding else None
        finally:
            subprocess.run(["umount", disk], check=True)


def mount(folder, options):
    subprocess.run(["mount", "-t", "tmpfs", "-o", options, "tmpfs", folder], check=True, stderr=subprocess.DEVNULL)


def can_mount():
    with tempfile.TemporaryDirectory() as folder:
        try:
            mount(folder, "size=64k")
        except (subprocess.CalledProcessError, OSError):
            return False
        subprocess.run(["umount", folder], check=True)
        return True


def disks(trials, pool):
    if not can_mount():
        print("disk: not tried, since nothing may be mounted here (it takes root)")
        return []
    drawing = [trial for trial in trials if re.search(DRAWING, trial.command)]
    jobs = [(trial, size) for trial in drawing for size in range(64, 1025, 64)][::SHARE]
    results = list(pool.map(lambda job: fill(*job), jobs))
    findings = [finding for _, finding in results if finding]
    print(f"disk: {len(jobs)} disks, {sum(full for full, _ in results)} of them full, {len(findings)} findings")
    return findings


def main():
    inputs = tempfile.TemporaryDirectory()
    for command in INPUTS:
        code, _, err = run(command.split(), inputs.name)
        assert code == 0, f"{command}: {err.decode()}"
    INPUT_FILES.update(os.listdir(inputs.name), ["count", "trace"])
    trials = [Trial(command, inputs.name) for command in COMMANDS if re.search(ONLY, command)]
    findings = []
    with concurrent.futures.ThreadPoolExecutor(os.cpu_count()) as pool:
        for kind, faults_of in (("allocations", allocations), ("io", calls)):
            if kind not in KINDS:
                continue
            total = 0
            for trial in trials:
                faults = [f for i, f in enumerate(faults_of(trial)) if i % SHARE == 0]
                found = [f for f in pool.map(lambda f, t=trial: disturb(t, f), faults) if f]
                total += len(faults)
                findings += found
                print(f"{kind:12} {len(faults):6} faults, {len(found):4} findings   {trial.command}", flush=True)
            print(f"{kind}: {total} faults")
        if "kills" in KINDS:
            count, found = kills(trials, pool)
            findings += found
            print(f"kills: {count}, {len(found)} findings")
        if "disk" in KINDS:
            findings += disks(trials, pool)
    for finding in findings[:200]:
        print("  " + finding)
    print(f"findings: {len(findings)}")
    return 1 if findings else 0


sys.exit(main())
