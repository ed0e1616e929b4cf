"""The console in headless Chromium against the demo service, used as a person would."""

from __future__ import annotations

import time
import unittest
from collections.abc import Callable
from typing import TypeVar

from selenium.common.exceptions import (
    ElementClickInterceptedException,
    NoSuchElementException,
    StaleElementReferenceException,
    TimeoutException,
)
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

from even_roster.api.plan import AssignmentNew
from even_roster.api.scans import ScanRequest
from even_roster.client import DeviceEdit, Roster
from tests.support.browser import browser, needs_browser
from tests.support.patience import PATIENCE
from tests.support.service import Service, demo

T = TypeVar("T")


class ConsoleCase(unittest.TestCase):
    service: Service
    driver: Chrome
    roster: Roster
    hosts: tuple[str, ...] = ()

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(*cls.hosts))
        cls.roster = cls.enterClassContext(cls.service.client())
        cls.driver = cls.enterClassContext(browser())
        cls.driver.get(cls.service.sign_in)

    def tearDown(self) -> None:
        log = self.driver.get_log("browser")  # type: ignore[no-untyped-call]
        severe = [entry["message"] for entry in log if entry["level"] == "SEVERE"]
        self.assertEqual([m for m in severe if not any(code in m for code in ("409", "412", "422"))], [])

    def open(self, path: str) -> None:
        self.driver.get(self.service.url + path)

    def until(self, what: Callable[[Chrome], T], seconds: float = PATIENCE) -> T:
        waiting = WebDriverWait(
            self.driver,
            seconds,
            0.1,
            (NoSuchElementException, StaleElementReferenceException, ElementClickInterceptedException),
        )
        try:
            return waiting.until(what)
        except TimeoutException:
            self.fail(f"it never happened; at {self.driver.current_url} the page shows: {self.text()[:900]}")

    def text(self) -> str:
        return self.driver.find_element(By.TAG_NAME, "body").text

    def sees(self, text: str, seconds: float = PATIENCE) -> None:
        self.until(lambda _: text in self.text(), seconds)

    def button(self, name: str) -> WebElement:
        return self.until(lambda d: d.find_element(By.XPATH, f"//button[normalize-space()='{name}']"))

    def press(self, name: str) -> None:
        """Click a button, once more if the click did not reach it: it moves while what stands above it is still arriving."""
        self.click(lambda d: d.find_element(By.XPATH, f"//button[normalize-space()='{name}']"))

    def click(self, which: Callable[[Chrome], WebElement]) -> None:
        """Click what is found, until the page says that the click came there."""

        def reached(driver: Chrome) -> bool:
            thing = which(driver)
            driver.execute_script(
                "arguments[0].addEventListener('click', () => { window.pressed = true; }, { once: true }); window.pressed = false",
                thing,
            )
            thing.click()
            # A click that led to another document took the flag with it.
            return bool(driver.execute_script("return window.pressed !== false"))

        self.until(reached)

    def field(self, label: str) -> WebElement:
        path = f"//label[.//span[normalize-space()='{label}']]//*[self::input or self::select or self::textarea]"
        return self.until(lambda d: d.find_element(By.XPATH, path))

    def write(self, field: WebElement, text: str) -> None:
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(Keys.DELETE)
        field.send_keys(text)

    def rows(self) -> list[str]:
        return [row.text for row in self.driver.find_elements(By.CSS_SELECTOR, "[role=grid] [role=row]")[1:]]


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
class Planning(ConsoleCase):
    """An hour of planning with the console, in the order of the tests' names."""

    def strip(self, first: str) -> WebElement:
        return self.until(lambda d: d.find_element(By.CSS_SELECTOR, f"svg[data-first='{first}']"))

    def draw(self, first: str, begin: int, end: int) -> None:
        strip = self.strip(first)
        width = strip.size["width"]
        at = round(width * ((begin + 0.5) / 256) - width / 2)
        move = round(width * (end - begin) / 256)
        actions = ActionChains(self.driver).move_to_element_with_offset(strip, at, 0)
        actions.click_and_hold().move_by_offset(move, 0).release().perform()

    def test_1_the_plan_shows_what_is_left_and_what_is_wrong(self) -> None:
        self.open("/plan")
        self.sees("Larkspur Hall")
        self.sees("10.44.30.155 is typed into card-terminal-10 but lies inside the pool")
        self.click(lambda d: d.find_element(By.LINK_TEXT, "10.44.10.0/24"))
        self.sees("left for static use")
        arithmetic = self.driver.find_element(By.CSS_SELECTOR, "[aria-label=Arithmetic]").text.replace("\n", " ")
        self.assertEqual(
            arithmetic, "254 usable − 100 in pools − 40 kept free − 1 gateway − 35 taken = 78 left for static use"
        )

    def test_2_a_band_is_drawn_on_the_ruler_and_checked_while_it_is(self) -> None:
        self.open("/subnets/10.44.20.0/24")
        self.press("Draw a band")
        self.draw("10.44.20.0", 125, 160)
        self.sees("overlaps the static band stage servers")
        self.assertFalse(self.button("Add band").is_enabled())
        self.draw("10.44.20.0", 166, 190)
        self.sees("Nothing speaks against it")
        self.draw("10.44.20.0", 190, 199)
        self.until(lambda _: self.field("Stretch").get_attribute("value") == "10.44.20.166-10.44.20.199")
        self.write(self.field("Band name"), "wardrobe")
        self.press("Add band")
        self.until(lambda _: any(b.name == "wardrobe" for b in self.roster.bands()))
        band = next(b for b in self.roster.bands() if b.name == "wardrobe")
        self.assertEqual((band.first, band.last, band.kind), ("10.44.20.166", "10.44.20.199", "static"))
        self.press("wardrobe")
        self.press("Remove band")
        self.until(lambda _: all(b.name != "wardrobe" for b in self.roster.bands()))

    def test_3_a_free_address_comes_with_its_proof_and_is_given_away(self) -> None:
        self.open("/subnets/10.44.20.0/24")
        self.write(self.field("How many"), "1")
        self.press("Find free addresses")
        self.sees("nobody answered three ARP probes just now")
        self.sees("10.44.20.12")
        self.press("Assign…")
        self.write(self.field("Hostname"), "fog machine")
        self.press("Assign 10.44.20.12")
        self.sees("'fog machine' is not a hostname")
        self.write(self.field("Hostname"), "fog-machine")
        self.press("Assign 10.44.20.12")
        self.until(lambda d: "open=address" in d.current_url)
        self.sees("It is assigned to fog-machine.")
        self.assertEqual(self.roster.assignment("10.44.20.12").name, "fog-machine")

    def test_4_an_address_is_moved_switched_off_and_released(self) -> None:
        self.open("/addresses?open=address:10.44.20.12")
        self.press("Move…")
        self.write(self.field("New address"), "10.44.20.30")
        self.press("Move")
        self.sees("10.44.20.30 is assigned to light-desk")
        self.write(self.field("New address"), "10.44.20.13")
        self.press("Move")
        self.until(lambda d: "10.44.20.13" in d.current_url)
        self.press("Switch off")
        self.until(lambda _: not self.roster.assignment("10.44.20.13").on)
        self.press("Release")
        self.sees("Planned for nobody")

    def test_5_publishing_shows_the_difference_side_by_side(self) -> None:
        for last in (183, 184):
            mac = f"02:c0:9f:ae:00:{last % 100}"
            new = AssignmentNew(address=f"10.44.10.{last}", mac=mac, kind="reserved", name=f"guest-{last}")
            self.roster.assign(new)
        self.open("/addresses?kind=reserved")
        self.until(lambda _: sum("not published" in row for row in self.rows()) == 2)
        self.open("/dhcp")
        self.press("Compare and publish")
        self.sees("after publishing")
        self.sees('"address": "10.44.10.183"')
        self.press("Publish these 2 changes")
        self.sees("read back and verified")
        self.sees("7 of 7 reservations there")
        self.open("/addresses?kind=reserved")
        self.until(lambda _: sum("waiting" in row for row in self.rows()) == 4)

    def test_5b_what_the_dhcp_server_holds_is_listed_and_narrowed(self) -> None:
        self.open("/dhcp")
        self.click(lambda d: d.find_element(By.XPATH, "//a[starts-with(normalize-space(), 'holds ')]"))
        self.sees("What ledger holds")
        self.sees("pool")
        search = self.until(lambda d: d.find_element(By.CSS_SELECTOR, "input[aria-label='Search what it holds']"))
        self.write(search, "10.44.10.181")
        self.sees("reservation (plan)")
        self.until(lambda _: len(self.rows()) == 3 and "10.44.10.181" in self.rows()[-1])
        self.write(search, "nobody holds this")
        self.sees("Nothing it holds is like that.")

    def test_6_a_spreadsheet_is_looked_at_before_it_is_taken_in_and_taken_back(self) -> None:
        place = self.service.home / "hall.csv"
        place.write_text("IP;Host;MAC;Note\n10.44.20.210;smoke-1;02c02a009901;left\n10.44.20.999;smoke-2;;\n")
        self.open("/import")
        chooser = self.until(lambda d: d.find_element(By.CSS_SELECTOR, "input[type=file]"))
        chooser.send_keys(str(place))
        self.sees("999 is over 255")
        self.assertFalse(self.button("Take all of it in").is_enabled())
        place.write_text("IP;Host;MAC;Note\n10.44.20.210;smoke-1;02c02a009901;left\n")
        self.open("/import")
        self.until(lambda d: d.find_element(By.CSS_SELECTOR, "input[type=file]")).send_keys(str(place))
        self.sees("1 would be added")
        self.press("Take all of it in")
        self.sees("1 added")
        self.assertEqual(self.roster.assignment("10.44.20.210").notes, "left")
        self.press("Take it back")
        self.until(lambda _: self.roster.assignments(q="smoke-1").page.total == 0)

    def test_7_a_card_prints_and_gives_snippets(self) -> None:
        self.open("/card/10.44.20.120")
        self.sees("media-server.larkspur.example")
        self.sees("255.255.255.0")
        self.press("netplan (.yaml)")
        self.sees("- 10.44.20.120/24")
        self.open("/card/10.9.9.9")
        self.sees("lies in no planned subnet")


@needs_browser
class Large(ConsoleCase):
    hosts = ("--hosts", "20000")

    def test_twenty_thousand_rows_scroll_and_sort(self) -> None:
        large = ScanRequest(targets=["10.96.0.0/17"], pace=20_000, with_names=False, ports=[], confirm=True)
        scan = self.roster.start_scan(large)
        while self.roster.scan(scan.id).state == "running":
            time.sleep(0.5)
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


@needs_browser
class SignedOut(unittest.TestCase):
    def test_a_browser_without_a_session_is_told_how_to_get_in(self) -> None:
        with demo() as service, browser() as driver:
            driver.get(service.url)
            WebDriverWait(driver, 10).until(
                lambda d: "You are not signed in" in d.find_element(By.TAG_NAME, "body").text
            )
            self.assertIn("roster console", driver.find_element(By.TAG_NAME, "body").text)


if __name__ == "__main__":
    unittest.main()
