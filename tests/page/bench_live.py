#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""What live costs and how soon it shows: bench_live.py TOOL. The simulated board at 1 kHz, without a browser."""
import json
import os
import socket
import subprocess
import sys
import threading
import time

TOOL = sys.argv[1]
FILTERS = [w for f in ("gyro", "vectors", "complementary", "gradient-descent", "kalman") for w in ("--tuning", f)]
TICKS = os.sysconf("SC_CLK_TCK")


def quantile(values, share):
    return sorted(values)[min(len(values) - 1, int(share * len(values)))]


class Tool:
    def __init__(self, *words, stdout=subprocess.DEVNULL):
        self.child = subprocess.Popen([TOOL, "live", *words], stdout=stdout, stderr=subprocess.PIPE, text=True)
        if "--no-page" not in words:
            address = self.child.stderr.readline().split()[-1]
            self.port, self.token = int(address.split(":")[2].split("/")[0]), address.split("=")[1]

    def cpu_s(self):
        with open(f"/proc/{self.child.pid}/stat", encoding="ascii") as f:
            fields = f.read().rsplit(")", 1)[1].split()
        return (int(fields[11]) + int(fields[12])) / TICKS

    def memory_mb(self):
        with open(f"/proc/{self.child.pid}/status", encoding="ascii") as f:
            return [int(x.split()[1]) / 1024 for x in f if x.startswith("VmRSS")][0]

    def watch(self):
        s = socket.create_connection(("127.0.0.1", self.port))
        s.sendall(f"GET /events HTTP/1.1\r\nHost: 127.0.0.1:{self.port}\r\n\r\n".encode())
        return s

    def post(self, command):
        body = json.dumps(command)
        with socket.create_connection(("127.0.0.1", self.port)) as s:
            s.sendall(f"POST /command HTTP/1.1\r\nHost: 127.0.0.1:{self.port}\r\n"
                      f"Marlinspike-Token: {self.token}\r\n"
                      f"Content-Type: application/json\r\nContent-Length: {len(body)}\r\n"
                      f"Connection: close\r\n\r\n{body}"
                      .encode())
            answer = b""
            while part := s.recv(4096):
                answer += part
        return answer

    def stop(self):
        self.child.terminate()
        self.child.wait()


def follow(viewer, delays, until):
    """Milliseconds from the oldest sample of each frame to its arrival here."""
    with viewer.makefile("rb") as lines:
        while time.monotonic() < until:
            line = lines.readline()
            if line.startswith(b"data: {\"t\""):
                frame = json.loads(line[6:])
                delays.append(1e3 * (time.monotonic() - frame["clock_s"]) + frame["latency_ms"])


def one_viewer(seconds=20):
    tool, delays = Tool("--from", "sim:handle", "--rate", "1000", *FILTERS), []
    until = time.monotonic() + seconds
    thread = threading.Thread(target=follow, args=(tool.watch(), delays, until))
    thread.start()
    time.sleep(1)
    cpu, began = tool.cpu_s(), time.monotonic()
    delays.clear()
    acts = []
    for k in range(40):
        time.sleep(0.3)
        sent = time.monotonic()
        assert b"200 OK" in tool.post({"do": "set", "run": 4, "parameter": "mag_noise", "value": 0.2 + 0.01 * k})
        acts.append(1e3 * (time.monotonic() - sent))
    thread.join()
    share = (tool.cpu_s() - cpu) / (time.monotonic() - began)
    tool.stop()
    print(f"nine axes at 1 kHz, five filters, one viewer: {100 * share:.1f} % of a core (simulated board included)")
    print(f"oldest sample of a frame to the viewer: median {quantile(delays, 0.5):.1f} ms, 99th percentile "
          f"{quantile(delays, 0.99):.1f} ms, {len(delays)} frames")
    print(f"a change of a parameter, sent to answered: median {quantile(acts, 0.5):.1f} ms, "
          f"greatest {max(acts):.1f} ms")


def board_alone(seconds=20):
    """What the simulated board and the receiver cost by themselves, as record has them."""
    name, before = f"/tmp/bench-live-{os.getpid()}.csv", os.times()
    subprocess.run([TOOL, "record", "--from", "sim:handle", "--rate", "1000", "--until", str(seconds), "--quiet", "-o",
                    name], check=True)
    used = os.times()
    os.unlink(name)
    cpu = used.children_user + used.children_system - before.children_user - before.children_system
    print(f"of that the simulated board and the receiver, as record has them: {100 * cpu / seconds:.1f} %")


def lateness(dead):
    """How far behind its pace a sample is handed on at the worst, ms."""
    tool = Tool("--from", "sim:handle", "--rate", "1000", "--updates", "200", "--json", *FILTERS,
                stdout=subprocess.PIPE)
    viewers = [tool.watch() for _ in range(dead)]
    offsets, until = [], time.monotonic() + 10
    while time.monotonic() < until:
        frame = json.loads(tool.child.stdout.readline())
        offsets.append(frame["clock_s"] - frame["t"])
    tool.stop()
    for v in viewers:
        v.close()
    offsets = offsets[200:]
    return 1e3 * (quantile(offsets, 0.999) - min(offsets))


def memory():
    tool = Tool("--from", "sim:handle", "--pace", "0", "--duration", "3600", "--json", "--no-page", *FILTERS,
                stdout=subprocess.PIPE)
    at = {}
    for line in tool.child.stdout:
        t = json.loads(line)["t"]
        for mark in (60, 600, 1800, 3590):
            if t >= mark and mark not in at:
                at[mark] = tool.memory_mb()
    tool.child.wait()
    print("memory over an hour of virtual time: " + ", ".join(f"{t} s {m:.1f} MB" for t, m in at.items()))


def main():
    one_viewer()
    board_alone()
    for dead in (0, 10):
        print(f"{dead} viewers that never read: 999 of 1000 frames at most {lateness(dead):.1f} ms behind the pace")
    memory()


main()
