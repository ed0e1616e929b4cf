"""The console with twenty thousand devices, in headless Chromium."""

from __future__ import annotations

import unittest

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from even_roster.api.scans import ScanRequest
from tests.support.browser import needs_browser
from tests.support.console_case import ConsoleCase
from tests.support.patience import until

BESIDE = "anything"
PART = "try"


@needs_browser
class Large(ConsoleCase):
    hosts = ("--hosts", "20000")

    def test_twenty_thousand_rows_scroll_and_sort(self) -> None:
        large = ScanRequest(targets=["10.96.0.0/17"], pace=20_000, with_names=False, ports=[], confirm=True)
        scan = self.roster.start_scan(large)
        until(lambda: self.roster.scan(scan.id).state != "running", "the scan does not end")
        self.assertGreaterEqual(self.roster.devices(limit=1, total=True).page.total or 0, 20_000)
        self.open("/devices")
        self.sees("20,00")
        grid = self.until(lambda d: d.find_element(By.CSS_SELECTOR, "[role=grid]"))
        last = max(self.roster.devices(), key=lambda row: tuple(int(part) for part in (row.address or "0").split(".")))
        grid.send_keys(Keys.END)
        self.sees(last.address or "")
        self.assertLess(len(self.rows()), 100)
        self.press("vendor")
        self.until(lambda d: "sort=vendor" in d.current_url)
        grid.send_keys(Keys.HOME)
        self.sees("Corvane Lighting")


if __name__ == "__main__":
    unittest.main()
