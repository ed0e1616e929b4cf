"""Devices and addresses in the console: edits of several people, the ruler, several at once, columns and colours."""

from __future__ import annotations

import unittest

from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By

from even_roster.client import DeviceEdit, ScanRequest
from tests.support.browser import needs_browser
from tests.support.console_case import ConsoleCase
from tests.support.patience import until

BESIDE = "anything"
PART = "try"


@needs_browser
class Devices(ConsoleCase):
    """The tests run in the order of their names."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        scan = cls.roster.start_scan(ScanRequest(targets=["10.44.20.0/24"]))
        until(lambda: cls.roster.scan(scan.id).state == "done", "the scan does not end")

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
        self.sees("Lighting")  # the other's edit has come, and what is being written stays
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


if __name__ == "__main__":
    unittest.main()
