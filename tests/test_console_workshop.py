"""A new workshop at the theatre, in the console: from a spreadsheet with odd headers to a printer that is silent, in forty clicks."""

from __future__ import annotations

import unittest
from collections.abc import Callable

from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select

from tests.support.browser import needs_browser
from tests.support.console_case import ConsoleCase
from tests.support.workshop import PRINTERS, ROWS, write_sheet

BESIDE = "anything"
PART = "try"


@needs_browser
class InTheConsole(ConsoleCase):
    """The same with the mouse: what is pressed, chosen from a list or clicked into counts."""

    clicks = 0

    def click(self, which: Callable[[Chrome], WebElement]) -> None:
        self.clicks += 1
        super().click(which)

    def write(self, field: WebElement, text: str) -> None:
        self.clicks += 1
        super().write(field, text)

    def choose(self, label: str, option: str) -> None:
        self.clicks += 2
        self.until(lambda _: option in self.field(label).text)
        Select(self.field(label)).select_by_visible_text(option)

    def follow(self, text: str) -> None:
        self.click(lambda d: d.find_element(By.LINK_TEXT, text))

    def test_a_workshop_is_planned_filled_published_and_looked_after_in_forty_clicks(self) -> None:
        sheet = self.service.home / "workshop.csv"
        write_sheet(sheet)
        self.follow("Plan")
        for label, text in {
            "Subnet": "10.44.50.0/24", "Called": "Workshop", "Gateway": "10.44.50.1", "Domain": "larkspur.example",
        }.items():  # fmt: skip
            self.write(self.field(label), text)
        self.press("Plan it")
        self.press("Draw a band")
        self.write(self.field("Stretch"), "101-120")
        self.write(self.field("Band name"), "presses")
        self.click(lambda d: d.find_element(By.XPATH, "//label[normalize-space()='printer']/input"))
        self.press("Add band")
        self.press("Draw a band")
        self.choose("Kind", "pool: handed out by DHCP")
        self.write(self.field("Stretch"), "150-199")
        self.choose("Handed out by", "ledger")
        self.write(self.field("Lease, hours"), "12")
        self.press("Add band")
        self.until(lambda _: len([b for b in self.roster.bands() if b.subnet.name == "Workshop"]) == 2)
        self.follow("Addresses")
        self.follow("Import")
        self.clicks += 2  # the file: the field, and the file in the system's window
        self.until(lambda d: d.find_element(By.CSS_SELECTOR, "input[type=file]")).send_keys(str(sheet))
        self.sees(f"{ROWS} would be added")
        self.press("Take all of it in")
        self.sees(f"{ROWS} added")
        self.assertEqual(self.roster.assignment("10.44.50.27").notes, "Werkbank 7")
        self.follow("Plan")
        self.follow("10.44.50.0/24")
        self.choose("For a device of role", "printer")
        self.press("Several MACs at once…")
        self.write(self.until(lambda d: d.find_element(By.TAG_NAME, "textarea")), PRINTERS)
        self.press("Give 5 devices an address each")
        self.sees("5 devices got an address.")
        self.follow("DHCP")
        self.press("Compare and publish")
        self.click(lambda d: d.find_element(By.XPATH, "//button[starts-with(normalize-space(), 'Publish these ')]"))
        self.sees("read back and verified")
        self.click(lambda d: d.find_element(By.XPATH, "//button[contains(., 'Find a name')]"))
        self.until(lambda d: d.find_element(By.CSS_SELECTOR, "input[aria-label='Find']")).send_keys("press-3")
        self.click(lambda d: d.find_element(By.XPATH, "//*[@role='option'][contains(., 'press-3')]"))
        self.press("Check now")
        self.sees("Nothing comes back from behind the gateway")
        self.assertEqual(
            [self.roster.assignment(f"press-{n}").address for n in range(1, 6)], [f"10.44.50.{100 + n}" for n in range(1, 6)],
        )  # fmt: skip
        self.assertLessEqual(self.clicks, 40)


if __name__ == "__main__":
    unittest.main()
