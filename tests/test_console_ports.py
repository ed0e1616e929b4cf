"""Ports in the console, as somebody new does it: name what switches are read by, add a range, find, note, label."""

from __future__ import annotations

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.select import Select

from tests.support.browser import needs_browser
from tests.support.console_case import ConsoleCase

BESIDE = "anything"
PART = "try"


@needs_browser
class Ports(ConsoleCase):
    def type(self, label: str, text: str) -> None:
        """Type into a field by its label."""
        box = self.until(lambda d: d.find_element(By.XPATH, f"//label[contains(., '{label}')]//input"))
        box.send_keys(Keys.CONTROL, "a")
        box.send_keys(text)

    def choose(self, label: str, value: str) -> None:
        """Choose in a list by its label."""
        Select(
            self.until(lambda d: d.find_element(By.XPATH, f"//label[contains(., '{label}')]//select"))
        ).select_by_value(value)

    def test_from_nothing_to_the_port_of_a_till(self) -> None:
        self.open("/switches")
        self.sees("No switch is read yet")
        self.choose("SNMP", "2c")
        self.type("Called", "larkspur")
        self.type("Community", "larkspur")
        self.press("Keep it")
        self.sees("community, version 2c, in clear")
        self.assertNotIn("password", self.driver.find_element(By.TAG_NAME, "main").get_attribute("innerText") or "")
        self.type("A switch by address or name", "10.44.10.0/24")
        self.press("Add")
        self.sees("switches are read from now on")
        self.sees("gate-a, 10.44.10.2, is not")
        strip = self.until(lambda d: d.find_element(By.CSS_SELECTOR, "svg[aria-label^='switch-office-1: ']"))
        self.assertEqual(len(strip.find_elements(By.TAG_NAME, "g")), 26, "a mark for each port")

        box = self.driver.find_element(By.CSS_SELECTOR, "input[aria-label='Find a port']")
        box.send_keys("box office, left")
        self.until(lambda d: len(d.find_elements(By.CSS_SELECTOR, "ul[aria-label='Ports'] li")) == 1)
        self.click(lambda d: d.find_element(By.CSS_SELECTOR, "ul[aria-label='Ports'] li button"))
        self.sees("Does it lead to other switches?")
        self.type("Note", "desk, stage side")
        self.press("Save")
        self.sees("The switch itself says “box office, left”.")
        self.choose("Mark", "kept")
        self.sees("kept: ")

        identity = next(one.id for one in self.roster.switches() if one.name == "switch-office-1")
        self.open(f"/switches/{identity}")
        self.sees("uplink to switch-office-2")
        self.sees("desk, stage side")
        only = self.until(lambda d: d.find_element(By.CSS_SELECTOR, "input[aria-label='Only ports that say']"))
        only.send_keys("uplink")
        self.until(lambda d: len(d.find_elements(By.CSS_SELECTOR, "ul[aria-label='Ports'] li")) == 3)
        only.send_keys(Keys.CONTROL, "a", Keys.DELETE)
        self.press("Look back")
        self.sees("Different now from")
        self.press("Back to now")

        self.open(f"/switches/{identity}/labels")
        picture = self.until(lambda d: d.find_element(By.CSS_SELECTOR, "img[alt='The sheet of labels']"))
        self.until(lambda _: (picture.get_property("naturalWidth") or 0) > 100)  # type: ignore[operator]

        device = next(one for one in self.roster.devices("printer-1") if one.called == "printer-1")
        self.open(f"/devices?open=device:{device.id}")
        self.sees("Plugged in")
        self.sees("On port ")
