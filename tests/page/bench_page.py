#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""How fast a report page computes: bench_page.py TOOL. In headless Chromium, whose graphics are in software."""
import os
import statistics
import sys
import time

from selenium.webdriver.common.by import By

from browser import Browser, tool

MOVES = 15
RATES = ((60, 200), (120, 200), (600, 200))
# A slider is moved: the time until traces and tables on the screen are drawn, and the longest piece of work meanwhile.
MOVE = """
const done = arguments[1], slider = document.querySelector("input[aria-label='mag_noise, slider']");
const seen = page.bench.done, from = performance.now();
page.queue.longest = 0;
slider.value = arguments[0];
slider.dispatchEvent(new Event("input"));
const poll = () => page.bench.done > seen && page.bench.busy.size === 0 && !page.queue.running
  ? done([page.queue.ended - from, page.bench.ms, page.queue.longest, page.bench.handled]) : setTimeout(poll, 5);
poll();
"""


class Bench(Browser):
    @classmethod
    def make_files(cls):
        pass

    def measure(self, seconds, rate):
        name = f"{seconds}.html"
        tool("simulate", "--scene", "handle", "--rate", str(rate), "--duration", str(seconds), "-o", "log.csv",
             "--truth", "truth.csv", "--quiet")
        tool("compare", "log.csv", "--reference", "truth.csv", "--tuning", "kalman", "--report", name, "--quiet")
        self.open(name)
        self.wait("return page.bench.parameters && page.bench.busy.size === 0 && !page.queue.running")
        self.browser.execute_script("page.view.plots.list[0].box.scrollIntoView()")
        time.sleep(1)
        rows = [self.browser.execute_async_script(MOVE, 300 + 20 * k) for k in range(MOVES)][3:]
        self.assertIn("1 of 1 replays equal", self.browser.find_element(By.CSS_SELECTOR, ".bits").text)
        whole, worker, longest, handled = (statistics.median(r[k] for r in rows) for k in range(4))
        packed, size = len(self.data()["views"][0]["compute"]["packed"]), os.path.getsize(name)
        print(f"{seconds:6d} s at {rate} Hz {whole:10.0f} {worker:10.0f} {max(longest, handled):12.0f} "
              f"{size / 1e6:10.2f} {(size - packed) / 1e6:12.2f}")

    def test_moves(self):
        print("kalman, one slider moved; medians of", MOVES - 3)
        print("                  to traces,  in worker,  longest step,   page, MB,  without log, MB")
        print("                         ms          ms            ms")
        for seconds, rate in RATES:
            self.measure(seconds, rate)

    def tearDown(self):
        pass


if __name__ == "__main__":
    sys.argv = sys.argv[:1]
    import unittest
    unittest.main(verbosity=0)
