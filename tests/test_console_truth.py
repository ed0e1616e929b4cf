"""The console's findings, past, watch page and questions, in headless Chromium, on a demo that watches by itself."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta
from urllib.parse import quote

from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select

from tests.support.browser import browser, needs_browser, signed_in
from tests.support.console_case import ConsoleCase
from tests.support.service import demo

BESIDE = "anything"
PART = "try"


@needs_browser
class Attention(ConsoleCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=True))
        cls.roster = cls.enterClassContext(cls.service.client())
        cls.driver = cls.enterClassContext(browser())
        signed_in(cls.driver, cls.service.sign_in)

    def finding(self, kind: str) -> int:
        return self.until(
            lambda _: next((f.id for f in self.roster.findings("all") if f.kind == kind), None) or False, 60
        )

    def test_1_what_needs_attention_arrives_by_itself_in_order(self) -> None:
        self.sees("Two devices answer for one address")
        self.sees("A DHCP server that nobody planned")
        self.sees("need attention")
        words = [e.text for e in self.driver.find_elements(By.CSS_SELECTOR, "article span.w-24")]
        order = ["urgent", "wrong", "to decide"]
        self.assertEqual(words, sorted(words, key=order.index))
        self.until(self.badge_tells_how_many)  # more of them may be arriving

    def heard(self) -> list[str]:
        """The MACs of the lines that listening shows now."""
        macs = "return [...document.querySelectorAll('[role=log] tr button')].map((one) => one.textContent)"
        found: list[str] = self.driver.execute_script(macs)
        return found

    def badge_tells_how_many(self, driver: Chrome) -> bool:
        badge = driver.find_element(By.XPATH, "//nav//span[contains(@title, 'urgent or wrong')]").text
        return int(badge) == sum(1 for f in self.roster.findings() if f.severity != "notice")

    def test_2_a_finding_is_opened_accepted_and_told_again(self) -> None:
        rogue = self.finding("unexpected-dhcp-server")
        self.open(f"/?open=finding:{rogue}")
        self.sees("Whoever takes its offer gets its gateway and DNS servers")
        self.click(lambda d: d.find_element(By.XPATH, "//*[@aria-label='Selected']//button[contains(., 'Accept it')]"))
        self.write(self.field("Why it is all right"), "the wing's own router")
        self.press("Accept")
        self.sees("Accept it no longer")
        self.assertEqual(self.roster.finding(rogue).finding.state, "accepted")
        self.until(
            lambda _: "A DHCP server that nobody planned" not in self.driver.find_element(By.TAG_NAME, "main").text
        )
        self.click(lambda d: d.find_element(By.XPATH, "//button[starts-with(normalize-space(), 'Accepted')]"))
        self.sees("the wing's own router")
        self.press("Accept it no longer")
        self.until(lambda _: self.roster.finding(rogue).finding.state == "open")

    def test_3_a_remedy_is_one_press_and_says_what_speaks_against_it(self) -> None:
        attic = self.finding("assignment-not-in-effect")
        self.open(f"/?open=finding:{attic}")
        self.click(
            lambda d: d.find_element(
                By.XPATH, "//*[@aria-label='Selected']//button[contains(., 'Plan it at 10.44.10.131')]"
            )
        )
        self.click(
            lambda d: d.find_element(
                By.XPATH, "//*[@aria-label='Selected']//button[normalize-space()='Save it anyway']"
            )
        )
        self.until(lambda _: self.roster.finding(attic).finding.state == "closed")
        self.sees("closed")

    def test_4_any_past_moment_on_ruler_and_sheet(self) -> None:
        self.until(lambda _: self.roster.history("10.44.20.41").stays)
        self.open("/subnets/10.44.20.0/24?open=address:10.44.20.41")
        self.press("Look back")
        self.sees("Back to now")
        self.until(lambda d: "at=" in d.current_url)
        self.sees("in use on")
        before = quote((datetime.now(UTC) - timedelta(days=2)).isoformat())
        self.open(f"/subnets/10.44.20.0/24?open=address:10.44.20.41&at={before}")
        self.sees("0 addresses in use on")
        self.sees("No device is known to have held it then.")
        self.press("Back to now")
        self.until(lambda d: "at=" not in d.current_url)
        self.sees("ever seen of 254 usable")

    def test_5_the_watch_page_listens_live_and_is_set(self) -> None:
        self.open("/watch")
        self.sees("listening")
        self.until(lambda d: d.find_elements(By.CSS_SELECTOR, "[role=log] tr"))
        first = self.heard()
        self.sees("Plugged into switch-office-1, port 17")
        self.until(lambda _: self.heard() != first)  # lines that come by themselves are as the first ones
        for mac in self.heard():
            self.assertRegex(mac, "^([0-9a-f]{2}:){5}[0-9a-f]{2}$")
        stage = "//*[@role='row'][*[@role='gridcell'][1][normalize-space()='Stage']]//button"
        self.click(lambda d: d.find_element(By.XPATH, stage))
        self.write(self.field("full scan, minutes"), "45")
        self.write(self.field("quiet hours"), "late")
        self.press("Save")
        self.sees("are no quiet hours")
        self.write(self.field("quiet hours"), "23:00-05:00")
        self.press("Save")
        self.sees("every 45 min")
        self.press("Add a route")
        Select(self.field("kind")).select_by_visible_text("syslog")
        self.write(self.field("name"), "log")
        self.write(self.field("HOST:PORT"), "127.0.0.1:9")
        self.press("Add")
        self.sees("127.0.0.1:9")
        self.press("Test")
        self.sees("syslog over UDP gives no answer")

    def test_6_who_hands_out_addresses_and_why_one_is_silent(self) -> None:
        self.open("/dhcp")
        self.press("Ask who answers")
        self.sees("2 servers in Office; nobody planned 10.44.10.225.")
        self.sees("It hands out the gateway 10.44.10.225 where the plan has 10.44.10.1.")
        self.open("/?open=address:10.44.10.44")
        self.press("Check now")
        self.sees("It was never seen in use: most likely no device has this address.")
        self.sees("What only a person can check")

    def test_6b_a_roll_call_is_written_down_and_followed_without_a_reload(self) -> None:
        self.open("/calls")
        self.press("New roll call…")
        self.write(self.field("Called"), "Doors")
        self.write(self.field("Asked every, seconds"), "5")
        box = self.until(lambda d: d.find_element(By.TAG_NAME, "textarea"))
        self.write(box, "printer-1, box office\nprinter-1\n")
        self.press("Save")
        self.sees("line 2: printer-1 stands in line 1 already")
        self.write(box, "printer-1, box office\n10.44.10.99, spare till\n")
        self.press("Save")
        self.sees("1 here, 1 silent")
        self.until(lambda d: len(d.find_elements(By.CSS_SELECTOR, "[aria-label='the last looks: ++']")) == 1)
        self.until(lambda _: any("spare till" in row and "silent" in row for row in self.rows()))
        self.press("Change")
        self.write(self.until(lambda d: d.find_element(By.TAG_NAME, "textarea")), "10.44.20.41")
        self.press("Save")
        self.sees("2 devices answer at 10.44.20.41")
        self.press("Remove")
        self.sees("No roll call yet")

    def test_6c_a_new_device_is_brought_in_until_it_is_proven(self) -> None:
        self.open("/fittings")
        self.press("New device…")
        self.write(
            self.until(lambda d: d.find_element(By.CSS_SELECTOR, "form[aria-label='New device'] textarea")),
            "02-c0-44-0c-00-01",
        )
        Select(self.field("Role")).select_by_visible_text("printer")
        self.write(self.field("Subnet or band"), "Office")
        self.write(self.field("Hostname"), "printer-1")
        self.press("Begin")
        self.sees("there is a 'printer-1' already")
        self.write(self.field("Hostname"), "printer-{n}")
        self.press("Begin")
        self.sees("Give it power and plug it in")
        self.sees("It has no power: look at its lamp")
        fitting = int(self.driver.current_url.rpartition("/")[2])
        self.roster.power_carton("printer-carton", True)
        self.sees("Type the card into its page")
        self.press("Let this machine reach it")
        self.sees("It is renewed until the device is seen at its new address")
        one = self.roster.fitting(fitting).devices[0]
        self.assertTrue(one.reach is not None and one.reach.lent is not None)
        self.open(f"/cartons?mac={one.mac}")
        self.write(self.field("address"), str(one.address))
        self.press("Apply")
        self.sees(f"its page is open at {one.address}")
        self.open(f"/fittings/{fitting}")
        self.sees("Pull its power for ten seconds")
        self.roster.power_carton("printer-carton", False)
        self.sees("It went; now it is waited for")
        self.roster.power_carton("printer-carton", True)
        self.sees("Look it over, say where it stands")
        self.write(self.field("Where it stands"), "Workshop")
        self.write(self.field("Its kind"), "Quillmark Q20")
        self.press("In place")
        self.sees("in the roster")
        kind = next(iter(self.roster.device_kinds()))
        self.assertEqual((kind.name, kind.factory, kind.role), ("Quillmark Q20", "192.168.50.10/24", "printer"))
        assert one.device is not None
        self.assertEqual(self.roster.device(one.device.id).device.place, "Workshop")

    def test_7_a_device_without_an_address_is_given_one(self) -> None:
        self.open("/addresses?assign=02:c0:10:00:02:0f&role=control")
        self.until(lambda _: "Stage" in self.field("in").text)
        Select(self.field("in")).select_by_visible_text("Stage")
        self.write(self.field("name"), "light-node-new")
        self.press("Give it a free one")
        self.sees("It is planned at")
        self.assertEqual(self.roster.assignments(q="light-node-new")[0].role, "control")


if __name__ == "__main__":
    unittest.main()
