"""An hour of planning with the console, in headless Chromium on the demo service."""

from __future__ import annotations

import unittest

from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement

from even_roster.api.plan import AssignmentNew
from tests.support.browser import needs_browser
from tests.support.console_case import ConsoleCase

BESIDE = "anything"
PART = "try"


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


if __name__ == "__main__":
    unittest.main()
