#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""Tunings that are changed in a report page, in headless Chromium: test_retune.py TOOL"""
import json
import os
import shlex
import subprocess
import sys
import time
import unittest

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from browser import TOOL, Browser, tool

LOG = "it's a log.csv"


class Retune(Browser):
    @classmethod
    def make_files(cls):
        tool("simulate", "--scene", "handle", "--rate", "100", "--duration", "60", "--seed", "5", "-o", LOG,
             "--truth", "truth.csv", "--quiet")
        tool("simulate", "--scene", "lift", "--rate", "50", "--duration", "60", "--seed", "6", "-o", "other.csv",
             "--truth", "other.truth.csv", "--quiet")
        tool("simulate", "--scene", "tumble", "-o", "tumble.csv", "--quiet")
        tool("calibrate", "tumble", "tumble.csv", "--into", "pod.json", "--report", "tumble.html", "--quiet")
        tool("compare", LOG, "--reference", "truth.csv", "--calibration", "pod.json", "--report", "page.html",
             "--quiet")
        tool("compare", "--case", f"{LOG}=truth.csv", "--case", "other.csv=other.truth.csv", "--tuning", "kalman",
             "--tuning", "complementary:tilt_time=2", "--report", "two.html", "--quiet")
        tool("replay", LOG, "--tuning", "kalman", "--report", "replay.html", "--quiet")

    def ready(self, name="page.html"):
        self.open(name)
        self.settle()

    def settle(self):
        self.wait("return page.bench.parameters && page.bench.busy.size === 0 && !page.queue.running")

    def bits(self):
        return self.browser.find_element(By.CSS_SELECTOR, ".bits").text

    def choose(self, name):
        self.browser.find_element(By.XPATH, f"//div[@class='tabs']/button[text()='{name}']").click()

    def set_field(self, name, value):
        field = self.browser.find_element(By.CSS_SELECTOR, f".tuner input[aria-label='{name}']")
        self.browser.execute_script("arguments[0].closest('details')?.setAttribute('open', '')", field)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(value, Keys.ENTER)
        self.settle()

    def row(self, name):
        return self.run_script("page.bench.data.result.runs.find(r => r.name === arguments[0])", name)

    def cells(self, rows, at):
        row = self.browser.find_elements(By.CSS_SELECTOR, rows)[at]
        return [c.text for c in row.find_elements(By.CSS_SELECTOR, "th, td")]

    def by_the_tool(self):
        """What the command that the page shows gives, run by a shell's rules."""
        words = shlex.split(self.browser.find_element(By.CSS_SELECTOR, ".tuner code").get_attribute("textContent"))
        self.assertEqual(words[0], "marlinspike")
        return json.loads(tool(*words[1:], "--json").stdout)

    def assert_same(self, row, run):
        self.assertEqual(row["digest"], run["digest"])
        for key in ("error_deg", "tilt_deg", "heading_deg"):
            for measure, value in run[key].items():
                self.assertAlmostEqual(row[key][measure], value, delta=1e-6)
        for key in ("settle_s", "jitter_deg", "lag_ms", "drift_deg_per_h"):
            if run[key] is None:
                self.assertIsNone(row[key])
            else:
                self.assertAlmostEqual(row[key], run[key], delta=1e-6)
        for kind, held in run["by_condition"].items():
            self.assertEqual(row["by_condition"][kind]["error_deg"]["rms"] is None, held["error_deg"]["rms"] is None)
            if held["error_deg"]["rms"] is not None:
                self.assertAlmostEqual(row["by_condition"][kind]["error_deg"]["rms"], held["error_deg"]["rms"],
                                       delta=1e-6)

    def test_loaded_tunings_have_the_tools_bits(self):
        self.ready()
        self.assertIn("5 of 5 replays equal", self.bits())
        for row, run in zip(self.run_script("page.bench.data.result.runs"), self.run_script("page.bench.loadedRows")):
            self.assert_same(row, run)
        self.ready("two.html")
        self.assertIn("4 of 4 replays equal", self.bits())
        self.ready("replay.html")
        self.assertIn("1 of 1 replays equal", self.bits())
        self.assertEqual(self.browser.find_elements(By.XPATH, "//h2[text()='Errors']"), [])

    def test_a_change_gives_what_the_tool_gives(self):
        self.ready()
        self.choose("kalman")
        before = self.row("kalman")
        self.browser.execute_script("page.view.plots.list[0].box.scrollIntoView()")
        time.sleep(0.3)
        curve = "page.view.plots.list[0].graph.getValue(700, 5)"
        drawn = self.run_script(curve)
        self.set_field("mag_noise", "4.5")
        self.set_field("bias_limit", "0.02")
        now = self.row("kalman, changed")
        self.assertNotEqual(now["digest"], before["digest"])
        self.assertNotEqual(self.run_script(curve), drawn)
        run = [r for r in self.by_the_tool()["runs"] if r["filter"] == "kalman"][0]
        self.assert_same(now, run)
        cells = self.cells("table tbody tr", 4)
        self.assertEqual(cells[0], "kalman, changed")
        self.assertAlmostEqual(float(cells[1]), run["error_deg"]["rms"], delta=0.0051)
        changes = self.cells(".changes tr", 1)
        self.assertAlmostEqual(float(changes[1]), before["error_deg"]["rms"], delta=0.00051)
        self.assertAlmostEqual(float(changes[2]), run["error_deg"]["rms"], delta=0.00051)
        self.browser.find_element(By.XPATH, "//button[text()='Back to what was loaded']").click()
        self.settle()
        self.assertEqual(self.row("kalman")["digest"], before["digest"])

    def test_a_slider_and_a_switch_and_another_filter(self):
        self.ready()
        self.choose("complementary")
        slider = self.browser.find_element(By.CSS_SELECTOR, "input[aria-label='tilt_time, slider']")
        slider.send_keys(Keys.ARROW_RIGHT * 40)
        self.settle()
        self.browser.find_element(By.CSS_SELECTOR, ".tuner input[aria-label='weighting']").click()
        self.settle()
        run = [r for r in self.by_the_tool()["runs"] if r["filter"] == "complementary"][0]
        self.assertIn("weighting=off", run["name"])
        self.assert_same(self.row("complementary, changed"), run)
        self.browser.find_element(By.CSS_SELECTOR, ".tuner select[aria-label='filter']").send_keys("gradient-descent")
        self.settle()
        run = [r for r in self.by_the_tool()["runs"] if r["filter"] == "gradient-descent"][0]
        self.assertIn("weighting=off", run["name"])
        self.assert_same(self.row("complementary, changed"), run)

    def test_out_of_range_is_said_and_changes_nothing(self):
        self.ready()
        self.choose("complementary")
        before = self.run_script("page.bench.done")
        for value in ("-3", "1e9", ""):
            self.set_field("tilt_time", value)
            fault = self.browser.find_element(By.CSS_SELECTOR, ".parameter .fault").text
            self.assertRegex(fault, r"^from [0-9.]+ to [0-9]+ s$")
        self.assertEqual(self.run_script("page.bench.done"), before)
        self.set_field("tilt_time", "3")
        self.assertEqual(self.browser.find_element(By.CSS_SELECTOR, ".parameter .fault").text, "")
        self.assertGreater(self.run_script("page.bench.done"), before)

    def what_if(self, name, value):
        self.browser.execute_script("""
            document.querySelectorAll('.tuner details').forEach(d => d.setAttribute('open', ''));
            const input = document.querySelector(`.tuner [aria-label='${arguments[0]}']`);
            input.value = arguments[1];
            input.dispatchEvent(new Event('change'));""", name, value)
        self.settle()

    def test_what_if_is_what_the_tools_options_do(self):
        self.ready()
        self.what_if("one row in", "2")
        self.what_if("share of rows lost", "0.1")
        self.what_if("gap", "20:23")
        self.what_if("start", "reference")
        result = self.by_the_tool()
        for run in result["runs"]:
            self.assert_same(self.row(run["name"]), run)
        self.what_if("start", "0.5,0.5,-0.5,0.5")
        result = self.by_the_tool()
        for run in result["runs"]:
            self.assertEqual(self.row(run["name"])["digest"], run["digest"])
        self.what_if("start", "north")
        self.what_if("gap", "twenty")
        fault = self.browser.find_element(By.CSS_SELECTOR, "label:has(input[aria-label='gap']) + .fault")
        self.assertIn("10:20", fault.text)
        for run in result["runs"]:
            self.assertEqual(self.row(run["name"])["digest"], run["digest"])
        self.browser.find_element(By.CSS_SELECTOR, ".tuner input[aria-label='has the magnetometer']").click()
        self.settle()
        self.assertEqual(self.row("kalman")["heading"], "relative")

    def test_a_tuning_is_added_and_taken_away(self):
        self.ready("two.html")
        self.choose("kalman")
        self.browser.find_element(By.XPATH, "//button[text()='Add a tuning']").click()
        self.settle()
        self.set_field("speed_floor", "9")
        name = self.run_script("page.bench.data.views[0].names[2]")
        self.assertEqual(len(self.run_script("page.bench.data.result.runs")), 6)
        self.assertEqual(len(self.run_script("page.view.plots.list[0].graph.getLabels()")), 4)
        runs = [r for r in self.by_the_tool()["runs"] if "speed_floor=9" in r["name"]]
        for row, run in zip([r for r in self.run_script("page.bench.data.result.runs") if r["name"] == name], runs):
            self.assertEqual(row["digest"], run["digest"])
        self.choose("kalman")
        self.browser.find_element(By.XPATH, "//button[text()='Take away' and ancestor::div[@class='controls']]").click()
        self.settle()
        self.assertEqual([len(v) for v in self.run_script("page.bench.data.views.map(v => v.names)")], [2, 2])
        self.assertNotIn("kalman", self.run_script("page.bench.data.result.runs.map(r => r.name)"))
        digests = self.run_script("page.bench.data.views.map(v => v.slots.map("
                                  "s => page.bench.data.result.runs[s.run].digest))")
        self.assertEqual(digests[0][1], runs[0]["digest"])
        self.assertEqual(digests[1][1], runs[1]["digest"])

    def test_the_tuning_and_the_page_are_taken_away(self):
        self.ready()
        self.choose("kalman")
        self.set_field("mag_noise", "2.25")
        with open("taken.json", "w") as out:
            out.write(self.run_script("tuningFile(page.bench, page.bench.tunings.get(page.tuner.state.chosen))"))
        with open("taken.html", "w") as out:
            out.write(self.run_script("pageText(page.bench)"))
        digest = self.row("kalman, changed")["digest"]
        words = ("compare", LOG, "--reference", "truth.csv", "--calibration", "pod.json", "--json")
        self.assertEqual(json.loads(tool(*words, "--tuning", "taken.json").stdout)["runs"][0]["digest"], digest)
        self.ready("taken.html")
        self.assertIn("5 of 5 replays equal", self.bits())
        self.assertEqual(self.row("kalman, changed")["digest"], digest)

    def changed_page(self, name, mark, change):
        """A page in which something behind a mark is another."""
        with open("page.html") as page:
            text = page.read()
        at = text.index(mark) + len(mark)
        with open(name, "w") as out:
            out.write(text[:at] + change(text[at:]))

    def test_other_scenes_have_the_tools_bits(self):
        """Sixteen scenes by five filters under node, every fourth in the browser; all, with three tunings each, when
        MARLINSPIKE_ALL is set."""
        every = "MARLINSPIKE_ALL" in os.environ
        os.mkdir("pages")
        script = os.path.join(os.path.dirname(os.path.abspath(__file__)), "test_module.sh")
        subprocess.run(["bash", script, os.path.dirname(os.path.dirname(os.path.dirname(script))), TOOL],
                       check=True, stdout=subprocess.DEVNULL,
                       env=dict(os.environ, PAGES=os.path.abspath("pages"), **({} if every else {"ONE": "1"})))
        pages = sorted(os.listdir("pages"))
        self.assertEqual(len(pages), 48 if every else 16)
        for name in pages[::1 if every else 4]:
            self.open(os.path.join("pages", name))
            self.wait("return page.bench.parameters && page.bench.busy.size === 0")
            self.assertIn("5 of 5 replays equal", self.bits(), name)

    def test_damage_is_noticed(self):
        shown = json.loads(tool("compare", LOG, "--reference", "truth.csv", "--calibration", "pod.json",
                                "--json").stdout)
        swap = {"A": "B", "B": "A"}
        self.changed_page("module.html", 'id="module">', lambda t: t[:9000] + "AAAA" + t[9004:])
        self.changed_page("samples.html", '"packed":"', lambda t: t[:30004] + swap.get(t[30004], "A") + t[30005:])
        self.open("module.html")
        self.wait("return page.bench.why !== ''")
        self.assertIn("does not compute", self.bits())
        self.assertEqual(self.run_script("page.bench.data.result.runs[4].digest"), shown["runs"][4]["digest"])
        self.open("samples.html")
        self.wait("return page.bench.why !== '' || (page.bench.parameters && page.bench.busy.size === 0)")
        self.assertRegex(self.bits(), "differ from the tool|does not compute")
        self.assertTrue(self.run_script("document.querySelector('.bits').classList.contains('bad')"))

    def test_without_webassembly_the_page_is_as_it_was(self):
        script = self.browser.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument",
                                              {"source": "delete window.WebAssembly"})
        self.open("page.html")
        self.browser.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", script)
        self.assertIn("no WebAssembly", self.bits())
        self.assertEqual(len(self.browser.find_elements(By.CSS_SELECTOR, ".parameter")), 0)
        self.assertEqual(len(self.browser.find_elements(By.CSS_SELECTOR, ".trace")), 9)

    def test_a_log_that_is_too_long_is_shown_but_not_computed(self):
        tool("simulate", "--scene", "day", "--rate", "100", "-o", "day.csv", "--truth", "day.truth.csv", "--quiet")
        tool("compare", "day.csv", "--reference", "day.truth.csv", "--tuning", "kalman", "--report", "day.html",
             "--quiet")
        self.assertLess(os.path.getsize("day.html"), 3e6)
        self.open("day.html")
        self.assertIn("too long", self.bits())
        self.assertIn("--window", self.bits())
        os.remove("day.csv")

    def test_the_last_movement_wins(self):
        self.ready()
        self.choose("kalman")
        value = self.run_script("""(() => {
            const s = document.querySelector("input[aria-label='mag_noise, slider']");
            for (let i = 100; i <= 900; i += 2) {
              s.value = i;
              s.dispatchEvent(new Event("input"));
            }
            return page.bench.tunings.get(page.tuner.state.chosen).values[19];
        })()""")
        began = time.monotonic()
        self.settle()
        self.assertLess(time.monotonic() - began, 20)
        field = self.browser.find_element(By.CSS_SELECTOR, "input[aria-label='mag_noise']")
        self.assertEqual(float(field.get_attribute("value")), value)
        run = [r for r in self.by_the_tool()["runs"] if r["filter"] == "kalman"][0]
        self.assert_same(self.row("kalman, changed"), run)

    def test_a_calibration_moves_its_points(self):
        self.open("tumble.html")
        self.wait("return page.corrections.done > 0")
        sphere = self.data()["spheres"][0]
        note = "document.querySelector('.sphere .note:last-of-type').textContent"
        fitted = float(self.run_script(note).split(" rms; as fitted ")[1].split(". ")[0])
        self.assertAlmostEqual(float(self.run_script(note).split(": ")[1].split(" ")[0]), fitted, delta=0.01 * fitted)
        field = self.browser.find_element(By.CSS_SELECTOR, "input[aria-label='bias x']")
        self.browser.execute_script("arguments[0].scrollIntoView()", field)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(str(sphere["bias"][0] + 5), Keys.ENTER)
        self.wait("return page.corrections.done > 1")
        bias = [sphere["bias"][0] + 5, *sphere["bias"][1:]]
        rows = [sphere["matrix"][3 * i:3 * i + 3] for i in range(3)]
        off = []
        for raw in sphere["raw"]:
            v = [sum(m * (x - b) for m, x, b in zip(row, raw, bias)) for row in rows]
            off.append(sum(x * x for x in v) ** 0.5 - sphere["radius"])
        wanted = (sum(x * x for x in off) / len(off)) ** 0.5
        self.assertAlmostEqual(float(self.run_script(note).split(": ")[1].split(" ")[0]), wanted, delta=0.006 * wanted)
        self.assertGreater(wanted, 3 * fitted)
        seen = self.run_script("page.corrections.done")
        self.browser.find_element(By.XPATH, "//button[text()='Reset']").click()
        self.wait(f"return page.corrections.done > {seen}")
        self.assertAlmostEqual(float(self.run_script(note).split(": ")[1].split(" ")[0]), fitted, delta=0.01 * fitted)

    def test_any_point_of_a_search_has_traces(self):
        tool("search", LOG, "--reference", "truth.csv", "--calibration", "pod.json", "--filter", "complementary",
             "--vary", "tilt_time", "--limit", "30", "--report", "search.html", "--quiet")
        self.ready("search.html")
        data = self.data()
        traced = [s["point"] for s in data["shown"]]
        parameter = data["search"]["parameters"][0]
        point = next(i for i in range(3, len(parameter["slice"]["value"])) if i not in traced)
        for at in (point, point + 1 if point + 1 not in traced else point + 2):
            self.run_script("page.search.list[0].graph.getFunctionOption('clickCallback')"
                            "(null, 0, [{idx: arguments[0]}])", at)
            self.settle()
            row = self.run_script("page.bench.data.result.runs[page.bench.data.views[0].slots.at(-1).run]")
            self.assertAlmostEqual(row["error_deg"]["rms"], parameter["slice"]["score"][at], delta=1e-6)
        names = self.run_script("page.bench.data.views[0].names")
        self.assertEqual(len(names), len(data["views"][0]["names"]) + 1)
        self.assertTrue(names[-1].startswith("tilt_time"))

    def test_another_theme_keeps_what_was_changed(self):
        self.ready()
        self.choose("kalman")
        self.set_field("mag_noise", "4")
        digest = self.row("kalman, changed")["digest"]
        light = self.run_script("css('--line')")
        self.browser.execute_cdp_cmd("Emulation.setEmulatedMedia",
                                     {"features": [{"name": "prefers-color-scheme", "value": "dark"}]})
        self.wait("return css('--line') !== arguments[0] && "
                  "page.view.plots.list[0].graph.getOption('gridLineColor') === css('--line')", light)
        self.settle()
        self.assertEqual(self.row("kalman, changed")["digest"], digest)
        self.assertEqual(len(self.browser.find_elements(By.CSS_SELECTOR, ".tuner")), 1)
        self.assertEqual(len(self.browser.find_elements(By.CSS_SELECTOR, ".trace")), 9)

    def test_pages_that_do_not_compute_are_not_allowed_to(self):
        tool("simulate", "--scene", "still", "-o", "still.csv", "--quiet")
        tool("calibrate", "still", "still.csv", "--into", "still.json", "--report", "still.html", "--quiet")
        self.open("still.html")
        policy = self.browser.find_element(By.CSS_SELECTOR, "meta[http-equiv]").get_attribute("content")
        self.assertNotIn("wasm", policy)
        self.assertNotIn("worker", policy)


if __name__ == "__main__":
    assert os.path.exists(TOOL)
    sys.argv = sys.argv[:1]
    unittest.main(verbosity=1)
