"""A first day with the console, in headless Chromium on the demo service, used as a person would."""

from __future__ import annotations

import time
import unittest

from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

from even_roster.client import DeviceEdit
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

    def test_5_somebody_elses_edit_arrives_without_reload(self) -> None:
        device = next(iter(self.roster.devices(q="10.44.20.40")))
        self.open(f"/devices?open=device:{device.id}")
        self.sees("Addresses held")
        self.roster.edit_device(device.id, DeviceEdit(name="Dimmers left", place="Fly floor"))
        self.until(lambda _: self.field("Name").get_attribute("value") == "Dimmers left")

    def test_6_a_stale_edit_shows_both_versions_and_loses_nothing(self) -> None:
        device = next(iter(self.roster.devices(q="10.44.20.42")))
        self.open(f"/devices?open=device:{device.id}")
        self.sees("Addresses held")
        self.write(self.field("Place"), "Mine")
        self.roster.edit_device(device.id, DeviceEdit(place="Theirs", owner="Lighting"))
        time.sleep(1.5)
        self.press("Save")
        self.sees("Somebody else saved this device")
        self.sees("Theirs")
        self.press("Save mine over it")
        self.until(lambda _: self.roster.device(device.id).device.place == "Mine")
        self.assertEqual(self.roster.device(device.id).device.owner, "Lighting")

    def test_7_the_ruler_explains_an_address_and_opens_it(self) -> None:
        self.open("/subnets/10.44.20.0/24")
        strip = self.until(lambda d: d.find_element(By.CSS_SELECTOR, "svg[data-first='10.44.20.0']"))
        width = strip.size["width"]
        at = round(width * (41.5 / 256) - width / 2)
        ActionChains(self.driver).move_to_element_with_offset(strip, at, 0).perform()
        self.sees("10.44.20.41")
        self.sees("claimed by two")
        ActionChains(self.driver).move_to_element_with_offset(strip, at, 0).click().perform()
        self.until(lambda d: "open=address" in d.current_url)
        self.sees("It is claimed by two: ")
        at = round(strip.size["width"] * (41.5 / 256) - strip.size["width"] / 2)
        ActionChains(self.driver).move_to_element_with_offset(strip, at - 20, 0).click_and_hold().move_by_offset(
            80, 0
        ).release().perform()
        self.press("Whole subnet")

    def test_8_several_devices_get_a_role_at_once(self) -> None:
        self.open("/devices?q=stage-box")
        self.until(lambda _: len(self.rows()) == 8)
        for box in self.driver.find_elements(By.CSS_SELECTOR, "[role=row] input[type=checkbox]")[:3]:
            box.click()
        self.sees("3 devices selected")
        roles = self.driver.find_element(By.CSS_SELECTOR, "select[aria-label='Role for all']")
        self.until(lambda _: "wireless" in roles.text)
        roles.send_keys("wireless")
        self.press("Set for all")
        self.until(lambda _: self.roster.devices(q="stage-box", role="wireless", total=True).page.total == 3)

    def test_91_what_is_expected_is_renamed_with_its_hostname_and_all_of_it_taken_back(self) -> None:
        self.open("/devices?expected=true&q=touring")
        self.until(lambda _: any("portable-touring" in row for row in self.rows()))
        self.click(
            lambda d: d.find_element(By.XPATH, "//*[@role='grid']//*[@role='row'][contains(., 'portable-touring')]")
        )
        self.sees("never: it is expected")
        self.write(self.field("Name"), "Tour laptop")
        self.click(lambda d: d.find_element(By.XPATH, "//label[contains(., 'also as planned hostname')]/input"))
        self.press("Save")
        self.until(lambda _: self.roster.assignment("10.44.10.182").name == "tour-laptop")
        self.open("/changes")
        self.sees("hostname: “portable-touring” → “tour-laptop”")
        self.click(lambda d: d.find_element(By.XPATH, "//button[text()='Undo']"))
        self.until(lambda _: self.roster.assignment("10.44.10.182").name == "portable-touring")
        self.sees("taken back")
        pair = list(self.roster.devices(q="stage-box", limit=2))
        for one in pair:
            self.roster.edit_device(one.id, DeviceEdit(owner="Wardrobe"))
        self.open("/changes")
        for change in self.roster.changes(limit=2):
            box = f"input[aria-label='Select change {change.id}']"
            self.click(lambda d, box=box: d.find_element(By.CSS_SELECTOR, box))  # type: ignore[misc]
        self.press("Take back 2 changes")
        self.until(lambda _: {self.roster.device(one.id).device.owner for one in pair} == {one.owner for one in pair})

    def test_9_columns_theme_and_hostile_names(self) -> None:
        device = next(iter(self.roster.devices(q="10.44.20.60")))
        self.roster.edit_device(device.id, DeviceEdit(name="<img src=x onerror=document.title='owned'>"))
        self.open("/devices?q=onerror")
        self.sees("<img src=x onerror")
        self.assertNotEqual(self.driver.title, "owned")
        self.press("Columns")
        self.click(lambda d: d.find_element(By.XPATH, "//label[normalize-space()='place']/input"))
        self.open("/devices")
        self.until(lambda d: d.find_element(By.XPATH, "//*[@role='columnheader'][normalize-space()='place']"))
        self.click(lambda d: d.find_element(By.CSS_SELECTOR, "button[aria-label='Dark colours']"))
        self.assertEqual(self.driver.execute_script("return document.documentElement.dataset.theme"), "dark")


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
