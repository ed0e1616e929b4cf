"""Every page of the console can be read by everybody: axe finds nothing, in light and dark colours and on a phone."""

from __future__ import annotations

import unittest
from typing import Any

from even_roster.api.switches import CredentialNew, SwitchNew
from even_roster.client import RollCallNew, ScanRequest
from tests.support.browser import needs_browser
from tests.support.console_case import ConsoleCase
from tests.support.lab import ROOT
from tests.support.patience import until

BESIDE = "anything"
PART = "try"

AXE = ROOT / "console" / "node_modules" / "axe-core" / "axe.min.js"
PAGES = (
    ("/", "attention"), ("/plan", "Larkspur Hall"), ("/addresses", "assigned addresses"), ("/devices", "devices"), ("/dhcp", "ledger"),
    ("/dhcp/1", "What ledger holds"), ("/scans", "Scans"), ("/scans/1", "answered"), ("/watch", "Office"), ("/changes", "Changes"),
    ("/calls", "spare till"), ("/switches", "switch-office-1"), ("/switches/1", "Its ports"), ("/switches/1/labels", "Pitch"), ("/pairs", "10.44.10.30"),
    ("/wiring?begin=printer-1", "The links"), ("/chases", "Watch these switches"), ("/cables", "Plugged in"),
    ("/switches?open=port:1", "What people say of it"),
    ("/import", "Import a spreadsheet"), ("/card/10.44.10.30", "printer-1"), ("/sheet", "10.44."), ("/subnets/10.44.10.0/24", "Office"),
    ("/devices?open=device:2", "Adapters"), ("/?open=address:10.44.20.41", "claimed by"), ("/?open=finding:1", "since"),
)  # fmt: skip
LISTS = ("/addresses", "/devices", "/dhcp", "/dhcp/1", "/scans", "/scans/1", "/watch", "/changes", "/calls", "/pairs")
RUN = """
const [only, least, done] = arguments;
axe.run(document, only ? { runOnly: only } : {}).then((found) => done(found.passes.length < least ? ["it looked at nothing"] : found.violations.map((one) =>
  `${one.id} (${one.impact}): ${one.nodes.slice(0, 3).map((node) => node.html.slice(0, 200)).join(" | ")}`)));
"""
IN_LINE = """
const lefts = (row) => [...row.children].map((cell) => Math.round(cell.getBoundingClientRect().left));
return [...document.querySelectorAll("[role=grid]")].map((grid) => [...grid.querySelectorAll("[role=row]")].slice(0, 3).map(lefts));
"""


@needs_browser
class Readable(ConsoleCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        for target in ("10.44.20.0/24", "10.44.10.0/24"):
            scan = cls.roster.start_scan(ScanRequest(targets=[target], ports=[]))
            until(lambda scan=scan: cls.roster.scan(scan.id).state != "running", "the scan does not end")  # type: ignore[misc]
        cls.roster.add_credential(CredentialNew(name="larkspur", snmp="2c", community="larkspur"))
        cls.roster.read_switch_now(cls.roster.add_switch(SwitchNew(switch="switch-office-1")).id)
        lines = "printer-1, box office\n10.44.10.99, spare till\n02:c0:61:00:00:17\nnobody-at-all\n"
        cls.roster.ask_roll_call(cls.roster.add_roll_call(RollCallNew(name="Doors", text=lines)).id)

    def looks_at(self, width: int) -> None:
        """Look at every page in light colours, and again at its contrasts in dark ones."""
        measures = {"width": width, "height": 900, "deviceScaleFactor": 1, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", measures)
        self.addCleanup(self.driver.execute_cdp_cmd, "Emulation.clearDeviceMetricsOverride", {})
        self.open("/")
        self.assertEqual(self.driver.execute_script("return innerWidth"), width)
        self.driver.execute_script("localStorage.setItem('roster-theme', 'light')")
        self.driver.set_script_timeout(120)
        for path, text in PAGES:
            with self.subTest(path, width=width):
                self.open(path)
                self.sees(text)
                self.until(lambda d: d.find_elements("tag name", "h1"))
                # On a phone the sheet of what is open stands before its list, which then has no rows.
                if path.partition("?")[0] in LISTS and (width > 1024 or "open=" not in path):
                    self.until(lambda _: self.rows())
                self.driver.execute_script(AXE.read_text())
                self.assertEqual(self.driver.execute_async_script(RUN, None, 10), [], path)
                for rows in self.driver.execute_script(IN_LINE):
                    self.assertTrue(
                        all(row == rows[0] for row in rows), f"{path}: heads and rows are not in line: {rows}"
                    )
                wide = self.driver.execute_script("return document.documentElement.scrollWidth > innerWidth + 1")
                self.assertFalse(wide, f"{path} is wider than its window")
                light = self.ground()
                self.driver.execute_script("document.documentElement.dataset.theme = 'dark'")
                self.until(lambda _, light=light: self.ground() != light)  # type: ignore[misc]
                contrasts = self.driver.execute_async_script(RUN, ["color-contrast"], 1)
                self.assertEqual(contrasts, [], f"{path} in dark colours")

    def ground(self) -> Any:
        return self.driver.execute_script("return getComputedStyle(document.body).backgroundColor")

    def test_on_a_desk(self) -> None:
        self.looks_at(1280)

    def test_on_a_phone(self) -> None:
        self.looks_at(400)
        self.open("/plan")
        self.click(lambda d: d.find_element("css selector", "[aria-controls=places]"))
        self.driver.find_element("link text", "Devices").click()
        self.until(lambda d: d.current_url.endswith("/devices"))
        self.press("Scan…")
        self.sees("Range")


if __name__ == "__main__":
    unittest.main()
