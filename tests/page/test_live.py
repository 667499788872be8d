#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""The live page in headless Chromium against the simulated board: test_live.py TOOL."""
import json
import math
import subprocess
import sys
import threading
import time

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from browser import TOOL, Browser, tool


def degrees_between(a, b):
    return 2 * math.degrees(math.acos(min(1, abs(sum(x * y for x, y in zip(a, b))))))


def accelerometer_alone(to):
    """What a board prints that has no other sensor, 100 lines a second."""
    try:
        to.write("t[s],accel_x,accel_y,accel_z\n")
        for i in range(3000):
            to.write(f"{i / 100},0.1,0.2,{9.8 + 0.01 * (i % 3)}\n")
            to.flush()
            time.sleep(0.01)
    except (OSError, ValueError):
        pass  # the tool has ended


class Live(Browser):
    def start(self, *words, width=1280, height=800, scheme="light", feed=None):
        self.live = subprocess.Popen([TOOL, "live", *words], stdin=subprocess.PIPE if feed else None,
                                     stderr=subprocess.PIPE, text=True)
        self.addCleanup(self.stop)
        if feed:
            threading.Thread(target=feed, args=(self.live.stdin,), daemon=True).start()
        address = self.live.stderr.readline().split()[-1]
        self.browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride",
                                     {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False})
        self.browser.execute_cdp_cmd("Emulation.setEmulatedMedia",
                                     {"features": [{"name": "prefers-color-scheme", "value": scheme}]})
        self.browser.get(address)
        self.wait("return window.page && page.ready && page.live.frames > 5 && page.live.last.runs[0].q !== null")

    def stop(self):
        if self.live.poll() is None:
            self.live.terminate()
        self.live.wait(timeout=20)
        self.live.stderr.close()

    def tearDown(self):
        for entry in self.browser.get_log("browser"):
            # refusals that a test has asked for, and the end of the tool
            self.assertTrue("/command" in entry["message"] or "/events" in entry["message"], entry["message"])

    def frame(self):
        return self.browser.execute_script("return page.live.last")

    def attitudes(self):
        return [r["q"] for r in self.frame()["runs"]]

    def post(self, command):
        return self.browser.execute_async_script(
            "const done = arguments[1]; page.live.post(arguments[0]).then(done)", command)

    def button(self, text):
        return self.browser.find_element(By.XPATH, f"//button[text()='{text}']")

    def test_bodies_and_traces_move(self):
        self.start("--from", "sim:handle")
        angles = "return page.live.bodies.list.map(b => b.block.quaternion.toArray())"
        before = self.browser.execute_script(angles)
        time.sleep(1)
        after = self.browser.execute_script(angles)
        for a, b in zip(before, after):
            self.assertGreater(degrees_between(a, b), 1)
        frame = self.frame()
        self.assertAlmostEqual(frame["sensors"]["accel"]["rate_hz"], 100, delta=2)
        self.assertAlmostEqual(frame["sensors"]["mag"]["rate_hz"], 25, delta=2)
        self.assertGreater(self.browser.execute_script("return page.live.traces.state.rows.length"), 50)

    def jitter(self):
        """Rms of the steps of roll and pitch from row to row, deg, over the last second: at rest, noise alone."""
        time.sleep(2)  # what came before a change may still be on its way
        self.browser.execute_script("page.live.traces.state.rows.length = 0")
        time.sleep(1.5)
        rows = self.browser.execute_script("return page.live.traces.state.rows")
        steps = [b[k] - a[k] for a, b in zip(rows, rows[1:]) for k in (19, 20)]
        return math.sqrt(sum(x * x for x in steps) / len(steps))

    def test_a_slider_trades_noise_for_drift(self):
        self.start("--from", "sim:still", "--tuning", "complementary:weighting=off,run_down=off")
        time.sleep(6)  # six times tilt_time
        calm = self.jitter()
        slider = self.browser.find_element(By.CSS_SELECTOR, "input[aria-label='tilt_time, slider']")
        self.browser.execute_script("arguments[0].focus()", slider)
        for _ in range(3):
            slider.send_keys(Keys.HOME)
        self.wait("return page.live.state.runs[0].file.parameters.tilt_time < 0.2")
        # the noise of a correction grows with its gain, 1 / tilt_time; that of the gyroscope's own steps stays
        noisy = self.jitter()
        self.assertGreater(noisy, 2 * calm)
        field = self.browser.find_element(By.CSS_SELECTOR, "input[aria-label='tilt_time']")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("5", Keys.ENTER)
        self.wait("return page.live.state.runs[0].file.parameters.tilt_time === 5")
        self.assertLess(self.jitter(), noisy / 2)

    def test_a_common_start_aligns_all_filters(self):
        self.start("--from", "sim:still", "--tuning", "gradient-descent", "--tuning", "kalman", "--tuning",
                   "complementary")
        before = self.attitudes()
        self.button("Set zero").click()
        self.wait("return page.live.last.runs.every(r => Math.abs(r.roll_deg) < 1 && Math.abs(r.pitch_deg) < 1)")
        seen = self.browser.execute_script("return page.live.posted")
        self.button("Same start for all").click()
        self.wait(f"return page.live.posted > {seen}")
        time.sleep(0.5)
        # one reading of the magnetometer starts them: noise of 0.4 uT on 23 uT level is 1 degree
        for q, was in zip(self.attitudes(), before):
            self.assertLess(degrees_between(self.attitudes()[0], q), 3)
            self.assertLess(degrees_between(was, q), 3)

    def test_a_failed_filter_is_marked_and_the_others_run(self):
        self.start("--from", "-", "--tuning", "vectors", "--tuning", "kalman", feed=accelerometer_alone)
        self.wait("return document.querySelectorAll('.body.failed').length === 1")
        failed = self.browser.find_element(By.CSS_SELECTOR, ".body.failed")
        self.assertIn("kalman", failed.text)
        self.assertIn("gyro", failed.text)
        self.assertIsNotNone(self.attitudes()[0])

    def test_a_guided_tumble_ends_in_a_calibration(self):
        self.start("--from", "sim:tumble", "--pace", "4", "--record", "tumble.csv")
        # a slow machine asks too seldom: the page itself remembers that something was missing
        self.browser.execute_script("""
            window.missed = 0;
            setInterval(() => { missed = Math.max(missed, page.live.last.guide?.missing.length ?? 0); }, 10);""")
        self.button("Start").click()
        self.wait("return missed > 0")
        self.wait("return page.live.state.fit !== null && page.live.state.fit.accepted")
        text = self.browser.find_element(By.CSS_SELECTOR, ".guide .fit").text
        self.assertIn("tumble: accepted and in use", text)
        self.assertIn("uT", text)
        self.button("Send it to the board").click()
        self.assertEqual(self.post({"do": "send", "what": "calibration"}), {"done": True})
        self.assertGreater(self.browser.execute_script("return page.live.sphere.state.raw.length"), 50)
        self.stop()
        with open("tumble.csv", encoding="utf-8") as f:
            notes = [json.loads(x[2:]) for x in f if x.startswith("# {")]
        self.assertEqual([n["change"] for n in notes][-1], "calibration")
        self.assertTrue(tool("replay", "tumble.csv", "--changes", "kalman", "--digest").stdout)

    def test_an_end_is_said_and_what_came_stays(self):
        self.start("--from", "sim:handle", "--duration", "4")
        self.wait("return page.live.state.status === 'over'")
        self.assertIn("The source is over", self.browser.find_element(By.CSS_SELECTOR, ".verdict").text)
        self.assertIn("nothing comes", self.post({"do": "send", "what": "calibration"})["error"])
        self.assertGreater(self.browser.execute_script("return page.live.traces.state.rows.length"), 50)

    def test_hold_keeps_the_traces(self):
        self.start("--from", "sim:handle")
        time.sleep(0.5)
        self.button("Hold").click()
        drawn = "return document.querySelector('.panels .plot canvas').toDataURL()"
        held = self.browser.execute_script(drawn)
        time.sleep(0.6)
        self.assertEqual(self.browser.execute_script(drawn), held)
        self.button("Go on").click()
        self.wait(drawn + " !== arguments[0]", held)

    def test_the_keyboard_is_enough(self):
        self.start("--from", "sim:handle")
        seen, active = set(), self.browser.switch_to.active_element
        for _ in range(60):
            active.send_keys(Keys.TAB)
            active = self.browser.switch_to.active_element
            seen.add(active.get_attribute("aria-label") or active.text)
        for wanted in ("Same start for all", "filter", "tilt_time, slider", "Hold", "Start", "recording"):
            self.assertIn(wanted, seen)

    def test_watching_without_the_token_changes_nothing(self):
        self.start("--from", "sim:handle")
        self.browser.get(self.browser.current_url.split("?")[0])
        self.wait("return window.page && page.ready && page.live.frames > 5")
        self.assertIn("token", self.post({"change": "start"})["error"])

    def test_it_fits_a_phone_and_the_dark(self):
        for width, height, scheme in ((390, 844, "light"), (390, 844, "dark"), (1280, 800, "dark")):
            self.start("--from", "sim:handle", width=width, height=height, scheme=scheme)
            self.assertLessEqual(self.browser.execute_script("return document.documentElement.scrollWidth"), width)
            self.stop()


if __name__ == "__main__":
    sys.argv = sys.argv[:1]
    import unittest
    unittest.main(verbosity=1)
