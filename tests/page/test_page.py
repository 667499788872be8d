#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""The report pages in headless Chromium: test_page.py TOOL [SHOTS]

SHOTS is a folder for screenshots.
"""
import json
import os
import sys
import time
import unittest

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from browser import Browser, tool

SHOTS = os.path.abspath(sys.argv[2]) if len(sys.argv) > 2 else None
# a file name that would be markup, and a command for gnuplot
NASTY = "a<img src=x onerror=alert(1)>`touch owned`.csv"


class Page(Browser):
    @classmethod
    def make_files(cls):
        tool("simulate", "--scene", "lift", "--rate", "50", "--seed", "3", "-o", NASTY, "--truth", "truth.csv",
             "--quiet")
        tool("simulate", "--scene", "tumble", "-o", "tumble.csv", "--quiet")
        tool("simulate", "--scene", "poses", "-o", "poses.csv", "--quiet")
        tool("calibrate", "poses", "poses.csv", "--into", "pod.json", "--report", "poses.html", "--quiet")
        tool("calibrate", "tumble", "tumble.csv", "--into", "pod.json", "--report", "tumble.html", "--quiet")
        tool("verify", "pod.json", "poses.csv", "--report", "verify.html", "--quiet")
        cls.result = json.loads(tool("compare", NASTY, "--reference", "truth.csv", "--calibration", "pod.json",
                                     "--json", "--report", "compare.html").stdout)

    def quaternion(self, body):
        return self.run_script(f"page.view.bodies[{body}].block.quaternion.toArray()")

    def test_table_is_that_of_json(self):
        self.open("compare.html")
        rows = self.browser.find_elements(By.CSS_SELECTOR, "table")[0].find_elements(By.CSS_SELECTOR, "tbody tr")
        self.assertEqual(len(rows), len(self.result["runs"]))
        for row, run in zip(rows, self.result["runs"]):
            cells = [c.text for c in row.find_elements(By.CSS_SELECTOR, "th, td")]
            self.assertEqual(cells[0], run["name"])
            self.assertAlmostEqual(float(cells[1]), run["error_deg"]["rms"], delta=0.0051)
            self.assertAlmostEqual(float(cells[5]), run["heading_deg"]["max"], delta=0.0051)
        first = self.browser.find_elements(By.CSS_SELECTOR, "thead button")[1]
        first.click()
        values = [float(r.find_elements(By.CSS_SELECTOR, "td")[0].text) for r in
                  self.browser.find_elements(By.CSS_SELECTOR, "table")[0].find_elements(By.CSS_SELECTOR, "tbody tr")]
        self.assertEqual(values, sorted(values))
        first.click()
        heading = self.browser.find_elements(By.CSS_SELECTOR, "th[aria-sort=descending]")[0]
        self.assertEqual(heading.text.split(" ")[0], "error")
        best = min(self.result["ranking"], key=lambda r: r["rms_deg"])["name"]
        self.assertTrue(self.browser.find_element(By.CSS_SELECTOR, ".verdict").text.startswith(best))

    def test_slider_and_keyboard_move_the_bodies(self):
        self.open("compare.html")
        data = self.data()["views"][0]["frames"]
        slider = self.browser.find_element(By.CSS_SELECTOR, ".controls input[type=range]")
        slider.send_keys(Keys.END)
        slider.send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT, Keys.ARROW_LEFT)
        i = int(slider.get_attribute("value"))
        self.assertEqual(i, len(data["t"]) - 4)
        q = data["reference"][i]
        for found, wanted in zip(self.quaternion(0), [q[1], q[2], q[3], q[0]]):
            self.assertAlmostEqual(found, wanted, delta=1e-4)
        q = data["runs"][4]["q"][i]
        for found, wanted in zip(self.quaternion(5), [q[1], q[2], q[3], q[0]]):
            self.assertAlmostEqual(found, wanted, delta=1e-4)

    def test_play_moves_on(self):
        self.open("compare.html")
        self.browser.find_element(By.CSS_SELECTOR, "select[aria-label=speed]").send_keys("2")
        play = self.browser.find_element(By.XPATH, "//button[text()='Play']")
        play.click()
        self.wait("return page.view.player.state.i > 20")
        play.click()
        self.assertEqual(play.text, "Play")
        at = self.run_script("page.view.player.state.i")
        time.sleep(0.3)
        self.assertEqual(self.run_script("page.view.player.state.i"), at)

    def test_zoom_is_shared_and_a_click_moves_the_body(self):
        self.open("compare.html")
        self.run_script("page.view.plots.list[0].graph.updateOptions({dateWindow: [20, 40]})")
        for k in range(self.run_script("page.view.plots.list.length")):
            window = self.run_script(f"page.view.plots.list[{k}].graph.xAxisRange()")
            self.assertAlmostEqual(window[0], 20, delta=0.5)
            self.assertAlmostEqual(window[1], 40, delta=0.5)
        plot = self.browser.find_elements(By.CSS_SELECTOR, ".trace .plot canvas")[1]
        self.browser.execute_script("arguments[0].scrollIntoView({block: 'center'})", plot)
        ActionChains(self.browser).move_to_element(plot).click().perform()
        t = self.run_script("page.view.player.state.at")
        self.assertTrue(25 < t < 35, t)
        box = self.browser.find_element(By.CSS_SELECTOR, "input[type=checkbox][value='1']")
        before = len(self.browser.find_elements(By.CSS_SELECTOR, ".body"))
        box.click()
        self.assertEqual(abs(len(self.browser.find_elements(By.CSS_SELECTOR, ".body")) - before), 1)

    def test_names_stay_text(self):
        self.open("compare.html")
        self.assertIn(NASTY, self.browser.find_element(By.CSS_SELECTOR, "h1").text)
        self.assertEqual(self.browser.find_elements(By.CSS_SELECTOR, "img"), [])
        tool("compare", NASTY, "--reference", "truth.csv", "--tuning", "kalman", "--figure", "f.svg", "--quiet")
        self.assertFalse(os.path.exists("owned"))

    def test_no_script_runs_but_the_pages_own(self):
        self.open("compare.html")
        policy = self.browser.find_element(By.CSS_SELECTOR, "meta[http-equiv]").get_attribute("content")
        scripts = policy.split("script-src")[1].split(";")[0].split()
        self.assertTrue(all(word.startswith("'sha256-") or word == "'wasm-unsafe-eval'" for word in scripts), policy)
        self.assertIn("worker-src blob:;", policy)
        self.browser.execute_script("""
            const element = document.createElement("script");
            element.textContent = "window.owned = 1";
            document.body.append(element);
            const image = document.createElement("div");
            image.innerHTML = '<img src="data:," onerror="window.owned = 2">';
            document.body.append(image);""")
        time.sleep(0.5)
        self.assertIsNone(self.browser.execute_script("return window.owned"))
        self.browser.get_log("browser")  # the refusals are meant

    def test_a_click_on_a_slice_shows_its_traces(self):
        result = json.loads(tool("search", NASTY, "--reference", "truth.csv", "--calibration", "pod.json", "--filter",
                                 "complementary", "--vary", "tilt_time", "--vary", "heading_time", "--limit", "30",
                                 "--json", "--report", "search.html").stdout)
        self.open("search.html")
        self.assertEqual(self.browser.find_element(By.CSS_SELECTOR, ".verdict").text, result["verdict"])
        rows = self.browser.find_elements(By.CSS_SELECTOR, "table")[1].find_elements(By.CSS_SELECTOR, "tbody tr")
        self.assertEqual([r.find_element(By.CSS_SELECTOR, "th").text for r in rows],
                         [p["name"] for p in result["parameters"]])
        ticked = "[...document.querySelectorAll('.controls input:checked')].map(c => Number(c.value))"
        self.assertEqual(self.run_script(ticked), [1, 2])
        shown = self.data()["shown"][-1]
        self.run_script("page.search.list[arguments[0]].graph.getFunctionOption('clickCallback')"
                        "(null, 0, [{idx: arguments[1]}])", shown["parameter"], shown["point"])
        self.assertEqual(self.run_script(ticked), [1, shown["run"] + 1])
        self.assertTrue(self.run_script("page.view.plots.list[0].graph.visibility()")[shown["run"]])

    def test_sizes_and_themes(self):
        tool("search", NASTY, "--reference", "truth.csv", "--vary", "mag_noise", "--limit", "5",
             "--report", "slice.html", "--quiet")
        pages = ["compare.html", "slice.html", "tumble.html", "poses.html", "verify.html"]
        for name in pages:
            for width, height in ((1280, 800), (390, 844)):
                papers = set()
                for scheme in ("light", "dark"):
                    self.open(name, width, height, scheme)
                    self.assertLessEqual(self.run_script("document.documentElement.scrollWidth"), width)
                    papers.add(self.run_script("getComputedStyle(document.body).backgroundColor"))
                    if SHOTS and scheme == "light" and width == 1280:
                        time.sleep(0.5)
                        self.browser.save_screenshot(os.path.join(SHOTS, "page-" + name.replace(".html", ".png")))
                self.assertEqual(len(papers), 2)

    def test_spheres_turn(self):
        self.open("tumble.html")
        canvas = self.browser.find_element(By.CSS_SELECTOR, ".sphere canvas")
        before = self.run_script("page.view.views[0].state.azimuth")
        canvas.send_keys(Keys.ARROW_LEFT)
        self.assertNotEqual(self.run_script("page.view.views[0].state.azimuth"), before)
        sphere = self.data()["spheres"][0]
        off = [abs(sum(v * v for v in p) ** 0.5 - sphere["radius"]) for p in sphere["corrected"]]
        self.assertLess(sum(off) / len(off), 1)

    def test_long_log_stays_small(self):
        tool("simulate", "--scene", "handle", "--rate", "200", "--duration", "600", "-o", "long.csv",
             "--truth", "long.truth.csv", "--quiet")
        tool("compare", "long.csv", "--reference", "long.truth.csv", "--report", "long.html", "--quiet")
        self.assertLess(os.path.getsize("long.html"), 9e6)
        self.open("long.html")
        shown = self.run_script("(performance.timing.loadEventEnd - performance.timing.navigationStart) / 1000")
        print(f"ten minutes at 200 Hz: {os.path.getsize('long.html') / 1e6:.1f} MB, shown after {shown:.1f} s")

    def test_what_is_missing_is_said(self):
        nowhere = dict(os.environ, MARLINSPIKE_JAVASCRIPT="/nowhere")
        done = tool("compare", NASTY, "--reference", "truth.csv", "--json", "--report", "none.html", code=5,
                    env=nowhere)
        self.assertIn("libjs-dygraphs", done.stderr)
        self.assertEqual(len(json.loads(done.stdout)["runs"]), 5)
        self.assertFalse(os.path.exists("none.html"))
        tool("compare", NASTY, "--reference", "truth.csv", "--report", "none.pdf", code=2)


if __name__ == "__main__":
    sys.argv = sys.argv[:1]
    unittest.main(verbosity=1)
