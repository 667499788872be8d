#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""What the tests of report pages share: the tool, a browser, pages that are opened in it."""
import json
import os
import pathlib
import subprocess
import sys
import tempfile
import time
import unittest

from selenium import webdriver
from selenium.webdriver.chrome.service import Service

TOOL = os.path.abspath(sys.argv[1])


def tool(*words, code=0, **more):
    done = subprocess.run([TOOL, *words], capture_output=True, text=True, **more)
    if done.returncode != code:
        raise AssertionError(f"{words}: exit {done.returncode}: {done.stderr}")
    return done


class Browser(unittest.TestCase):
    @classmethod
    def make_files(cls):
        """What the tests need, in a folder of their own."""

    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        os.chdir(cls.folder.name)
        cls.make_files()
        options = webdriver.ChromeOptions()
        for word in ("--headless=new", "--no-sandbox", "--use-gl=angle", "--use-angle=swiftshader",
                     "--enable-unsafe-swiftshader", "--disable-accelerated-2d-canvas", "--disable-dev-shm-usage",
                     "--window-size=1280,800"):
            options.add_argument(word)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        cls.browser = webdriver.Chrome(service=Service("/usr/bin/chromedriver"), options=options)

    @classmethod
    def tearDownClass(cls):
        cls.browser.quit()
        os.chdir("/")
        cls.folder.cleanup()

    def open(self, name, width=1280, height=800, scheme="light"):
        self.browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride",
                                     {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False})
        self.browser.execute_cdp_cmd("Emulation.setEmulatedMedia",
                                     {"features": [{"name": "prefers-color-scheme", "value": scheme}]})
        self.browser.get(pathlib.Path(name).resolve().as_uri())
        self.wait("return window.page && window.page.ready")

    def wait(self, script, *arguments, seconds=60):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if self.browser.execute_script(script, *arguments):
                return
            time.sleep(0.1)
        self.fail(f"never true: {script}")

    def run_script(self, script, *arguments):
        return self.browser.execute_script("return " + script, *arguments)

    def tearDown(self):
        faults = [line for line in self.browser.get_log("browser") if line["level"] == "SEVERE"]
        self.assertEqual(faults, [])

    def data(self):
        return json.loads(self.run_script("document.getElementById('data').textContent"))
