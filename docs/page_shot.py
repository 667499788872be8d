#!/usr/bin/env python3
# SPDX-License-Identifier: MIT
"""A picture of a report page once it has computed, or of a live page after some seconds of a guided tumble:
page_shot.py PAGE.html|ADDRESS FILE.png WIDTH HEIGHT light|dark"""
import pathlib
import sys
import time

from selenium import webdriver
from selenium.webdriver.chrome.service import Service

page, picture, width, height, scheme = sys.argv[1:]
options = webdriver.ChromeOptions()
for word in ("--headless=new", "--no-sandbox", "--use-gl=angle", "--use-angle=swiftshader",
             "--enable-unsafe-swiftshader", "--hide-scrollbars"):
    options.add_argument(word)
browser = webdriver.Chrome(service=Service("/usr/bin/chromedriver"), options=options)
browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride",
                        {"width": int(width), "height": int(height), "deviceScaleFactor": 1, "mobile": False})
browser.execute_cdp_cmd("Emulation.setEmulatedMedia",
                        {"features": [{"name": "prefers-color-scheme", "value": scheme}]})
live = page.startswith("http:")
browser.get(page if live else pathlib.Path(page).resolve().as_uri())
end = time.monotonic() + 60
while time.monotonic() < end and not browser.execute_script(
        "return page.ready && (!page.bench || page.bench.parameters && page.bench.busy.size === 0 "
        "&& !page.queue.running)"
        " && (!page.corrections || page.corrections.done > 0)"):
    time.sleep(0.1)
if live:
    browser.execute_script("page.live.post({do: 'guide', kind: 'tumble'})")
    time.sleep(14)
time.sleep(1)
browser.save_screenshot(picture)
browser.quit()
