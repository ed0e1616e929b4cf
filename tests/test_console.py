"""A first day with the console, in headless Chromium on the demo service, used as a person would."""

from __future__ import annotations

import unittest

from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

from tests.support.browser import browser, needs_browser
from tests.support.console_case import ConsoleCase
from tests.support.patience import PATIENCE
from tests.support.service import demo

BESIDE = "anything"


@needs_browser
class FirstDay(ConsoleCase):
    """The tests run in the order of their names: a first day with the console."""

    def test_1_an_empty_roster_teaches_and_offers_a_scan(self) -> None:
        self.sees("Nothing was scanned yet. Begin with the subnet you stand on.")
        self.sees("are known from the leases of DHCP servers only")
        self.sees("are planned and expected")
        self.sees("10.44.10.0/24")
        self.assertEqual(self.field("Range").get_attribute("value"), "10.44.10.0/24")

    def test_2_a_wrong_range_is_explained_while_typing(self) -> None:
        wrong = (
            ("10.0.0.0/8", "too large"),
            ("10.44.0.0/18", "yes, scan 16,384 addresses"),
            ("10.44.10.300", "300 is over 255"),
        )
        for text, said in wrong:
            self.write(self.field("Range"), text)
            self.sees(said)
            self.assertFalse(self.button("Scan").is_enabled(), text)

    def test_3_a_scan_is_followed_live_to_its_end(self) -> None:
        self.write(self.field("Range"), "10.44.20.0/24")
        self.sees("254 addresses")
        self.press("Scan")
        self.until(lambda d: "/scans/" in d.current_url)
        self.sees("done")
        self.sees("36 answered, 218 silent, 2 at foreign addresses")
        self.sees("claimed by two")
        self.assertTrue(any("192.168.200.10" in row for row in self.rows()) or "foreign address" in self.text())

    def test_4_a_device_is_named_and_found_again(self) -> None:
        self.open("/devices?q=light-desk")
        self.until(lambda _: any("light-desk" in row for row in self.rows()))
        self.click(lambda d: d.find_element(By.XPATH, "//*[@role='grid']//*[@role='row'][contains(., 'light-desk')]"))
        self.write(self.field("Name"), "Lighting desk")
        self.press("Save")
        self.until(lambda _: any("Lighting desk" in row for row in self.rows()))
        self.sees("light-desk")  # its planned hostname stays
        ActionChains(self.driver).key_down(Keys.CONTROL).send_keys("k").key_up(Keys.CONTROL).perform()
        self.until(lambda d: d.switch_to.active_element.get_attribute("role") == "combobox")
        self.driver.switch_to.active_element.send_keys("lighting de")
        self.sees("10.44.20.30 · ")
        self.driver.switch_to.active_element.send_keys(Keys.ENTER)
        self.until(lambda d: "open=device" in d.current_url)
        self.assertEqual(next(iter(self.roster.devices(q="Lighting desk"))).address, "10.44.20.30")


@needs_browser
class SignedOut(unittest.TestCase):
    def test_a_browser_without_a_session_is_told_how_to_get_in(self) -> None:
        with demo() as service, browser() as driver:
            driver.get(service.url)
            WebDriverWait(driver, PATIENCE).until(
                lambda d: "You are not signed in" in d.find_element(By.TAG_NAME, "body").text
            )
            self.assertIn("roster console", driver.find_element(By.TAG_NAME, "body").text)


if __name__ == "__main__":
    unittest.main()
