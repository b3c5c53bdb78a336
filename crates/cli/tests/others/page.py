#!/usr/bin/env python3
"""A report in a real browser: opened from disk without a network, sorted and filtered by clicks, in dark and in print, on a phone.

usage: page.py PROGRAM     (needs Chromium and its driver, and the package selenium)
"""

import base64
import pathlib
import subprocess
import sys
import tempfile

from selenium import webdriver
from selenium.webdriver.common.by import By

FLAGS = (
    "--headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync --hide-scrollbars --window-size=1280,800"
)


def browser():
    options = webdriver.ChromeOptions()
    for flag in FLAGS.split():
        options.add_argument(flag)
    options.binary_location = "/usr/bin/chromium"
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    return webdriver.Chrome(options=options, service=webdriver.ChromeService("/usr/bin/chromedriver"))


def texts(table, column):
    rows = [row for row in table.find_elements(By.CSS_SELECTOR, "tbody tr") if row.is_displayed()]
    return [row.find_elements(By.TAG_NAME, "td")[column].text for row in rows]


def main(program):
    folder = pathlib.Path(tempfile.mkdtemp())
    run = lambda *words: subprocess.run([program, *words], cwd=folder, capture_output=True, text=True)  # noqa: E731
    run("demo", "--dir", ".")
    ran = run("report", "parts.csv", "-l", "parts.cutlist.toml", "-o", "parts.html")
    assert ran.returncode == 0, ran.stderr
    driver = browser()
    try:
        driver.execute_cdp_cmd("Network.enable", {})
        driver.execute_cdp_cmd("Network.emulateNetworkConditions", {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0})
        driver.get(f"file://{folder}/parts.html")
        assert driver.get_log("browser") == [], "nothing is said on the console"
        assert "13 of 200 rows with faults" in driver.find_element(By.CLASS_NAME, "verdict").text

        # Sorted by clicks: by number, up and down.
        checks = driver.find_element(By.CSS_SELECTOR, "#checks ~ div table")
        head = checks.find_elements(By.CSS_SELECTOR, "th button")[3]
        head.click()
        up = [int(rows) for rows in texts(checks, 3)]
        assert up == sorted(up) and len(set(up)) > 1, up
        head.click()
        assert [int(rows) for rows in texts(checks, 3)] == up[::-1]
        assert checks.find_elements(By.TAG_NAME, "th")[3].get_attribute("aria-sort") == "descending"

        # Filtered by what is typed: the shapes of the column.
        shapes = driver.find_element(By.CSS_SELECTOR, "#columns ~ div table")
        filter_of = driver.find_element(By.CSS_SELECTOR, "#columns ~ input.filter")
        all_shapes = texts(shapes, 0)
        assert len(all_shapes) > 8 and all_shapes[0] == "U3-d8-X4", all_shapes
        filter_of.send_keys("sh-")
        assert texts(shapes, 4) == ["SH-94506516-DMCW"], texts(shapes, 4)
        filter_of.send_keys("\ue003" * 3)  # backspace
        assert texts(shapes, 0) == all_shapes

        # The link of a check leads to its rows, with fault marked.
        driver.find_element(By.CSS_SELECTOR, "a[href='#check-0']").click()
        assert driver.current_url.endswith("#check-0")
        assert driver.find_element(By.CSS_SELECTOR, ".value .wrong").text

        # The same faults by row, and the values behind "and 9 other values".
        driver.find_element(By.CSS_SELECTOR, "a[href='#rows']").click()
        by_row = driver.find_element(By.CSS_SELECTOR, "#rows ~ div table")
        rows = texts(by_row, 0)
        assert len(rows) == 13 and rows == sorted(rows, key=int), rows
        assert "required" in texts(by_row, 2)[3] and "not one of" in texts(by_row, 2)[3], texts(by_row, 2)

        # Dark by the reader's setting.
        back = "return getComputedStyle(document.body).backgroundColor"
        light = driver.execute_script(back)
        driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": [{"name": "prefers-color-scheme", "value": "dark"}]})
        dark = driver.execute_script(back)
        assert light == "rgb(255, 255, 255)" and dark != light, (light, dark)

        # On a phone, nothing but wide tables goes beyond the side, and these can be moved.
        driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {"width": 400, "height": 800, "deviceScaleFactor": 1, "mobile": True})
        assert driver.execute_script("return document.documentElement.scrollWidth") <= 400
        driver.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})

        # Printed: a document of a few pages.
        printed = base64.b64decode(driver.execute_cdp_cmd("Page.printToPDF", {})["data"])
        assert printed.startswith(b"%PDF") and 2 <= printed.count(b"/Type /Page\n") + printed.count(b"/Type /Page ") <= 12

        # Of very many faults, with as many rows as can be asked for: small, and with few elements, so it opens in a second.
        big = "".join(f"grp-{row:08}x-{'<' * (row % 150)}\n" for row in range(100_000))
        (folder / "big.csv").write_text("part_code\n" + big)
        checks = ["--check", "serial: digits", "--check", "serial: length 8", "--check", "family: uppercase", "--check", 'family: one of "GRP"']
        pieces = ["-c", "part_code", "-p", "family: first 3", "-p", 'serial: section 2 by "-"']
        ran = run("report", "big.csv", *pieces, *checks, "--rows", "1000", "-o", "big.html")
        assert ran.returncode == 0 and (folder / "big.html").stat().st_size < 2_000_000, ran.stderr
        driver.get(f"file://{folder}/big.html")
        took = driver.execute_script("return performance.getEntriesByType('navigation')[0].domContentLoadedEventEnd")
        elements = driver.execute_script("return document.getElementsByTagName('*').length")
        print(f"a page of {elements} elements opened in {took:.0f} ms")
        assert elements < 60_000, elements
        values = driver.find_element(By.CSS_SELECTOR, "details > summary")
        assert values.text.startswith("and at least"), values.text
        values.click()
        assert driver.find_element(By.CSS_SELECTOR, "details[open] li code").is_displayed()

        # Without scripts it reads the same.
        driver.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": True})
        driver.get(f"file://{folder}/parts.html")
        assert "13 of 200 rows with faults" in driver.find_element(By.CLASS_NAME, "verdict").text
        assert driver.find_elements(By.CSS_SELECTOR, "th button, input") == []
    finally:
        driver.quit()
    print("a report opens without a network, is sorted and filtered, and is read in dark, in print, on a phone and without scripts")


if __name__ == "__main__":
    main(str(pathlib.Path(sys.argv[1]).resolve()))
