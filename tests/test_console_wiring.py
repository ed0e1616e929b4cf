"""The wiring in the console, as somebody new does it: light a way, look back, put a switch elsewhere, switch a port, chase a cable."""

from __future__ import annotations

from selenium.webdriver import Chrome
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.select import Select

from even_roster.api.switches import CredentialNew, SwitchSearch
from tests.support.browser import needs_browser
from tests.support.console_case import ConsoleCase

BESIDE = "anything"
PART = "try"


@needs_browser
class Wiring(ConsoleCase):
    def add(self) -> None:
        """All switches of the office and the stage are read."""
        self.roster.add_credential(CredentialNew(name="larkspur", snmp="2c", community="larkspur"))
        self.roster.search_switches(SwitchSearch(within="10.44.10.0/24 10.44.20.0/24"))
        self.roster.add_credential(CredentialNew(
            name="machinist", user="machinist", auth="sha256", auth_password="trapdoor-one", privacy="aes128",
            privacy_password="trapdoor-two",
        ))  # fmt: skip

    def fill(self, label: str, text: str) -> None:
        """Type into a field by its label."""
        box = self.until(
            lambda d: d.find_element(By.XPATH, f"//label[contains(., '{label}')]//input[not(@type='checkbox')]")
        )
        box.send_keys(Keys.CONTROL, "a")
        box.send_keys(text)

    def drawn(self, name: str) -> WebElement:
        """A switch on the map."""
        return self.until(lambda d: d.find_element(By.CSS_SELECTOR, f"g[role='button'][aria-label^='{name}']"))

    def test_from_the_map_to_a_found_cable(self) -> None:
        self.open("/wiring")
        self.sees("No switch is read yet")
        self.add()
        self.open("/wiring")
        self.sees("A ring of switch-office-1")
        self.assertEqual(len(self.driver.find_elements(By.CSS_SELECTOR, "g[role='button']")), 8)
        self.sees("kept shut")

        self.fill("The way from", "printer-1")
        self.fill("to", "10.44.20.41")
        self.sees("routed by gate-10")
        self.sees("the forwarding table says so, too")
        self.until(lambda d: d.find_elements(By.CSS_SELECTOR, "path[stroke='var(--amber)']"))

        def dragged(driver: Chrome) -> bool:
            """Dragged once more if the page moved under the hand."""
            ActionChains(driver).drag_and_drop_by_offset(self.drawn("switch-stage-3"), 60, 60).perform()
            return bool(driver.find_elements(By.CSS_SELECTOR, "g[aria-label='switch-stage-3, put here by hand']"))

        self.until(dragged)
        self.assertTrue(any(one.fixed for one in self.roster.wiring_map().strips))
        self.drawn("switch-stage-3").send_keys(Keys.ENTER)
        self.press("Let the map place it")
        self.until(lambda d: d.find_element(By.CSS_SELECTOR, "g[aria-label='switch-stage-3']"))
        self.open("/wiring")
        self.press("Look back")
        self.sees("The links at ")
        self.press("Back to now")

        port = next(one for one in self.roster.ports("switch-office-2") if one.name == "6")
        self.open(f"/wiring?open=port:{port.id}")
        self.press("See what is connected to it…")
        self.sees("The way there: switch-office-1, switch-office-2.")
        Select(
            self.until(lambda d: d.find_element(By.XPATH, "//label[contains(., 'write access')]//select"))
        ).select_by_value("machinist")
        self.fill("Type “", "switch-office-2 port 6")
        self.press("Switch it off")
        self.sees("is off, as its switch says itself")
        ours = next(one for one in self.roster.ports("switch-office-1") if one.name == "17")
        self.open(f"/wiring?open=port:{ours.id}")
        self.press("See what is connected to it…")
        self.sees("it is on the way from this service to its switch")
        self.assertFalse(self.driver.find_elements(By.XPATH, "//button[contains(., 'Switch it off')]"))

        self.open("/chases")
        self.click(lambda d: d.find_element(By.XPATH, "//label[contains(., 'switch-office-1')]"))
        self.until(lambda d: d.find_element(By.TAG_NAME, "textarea")).send_keys("box office left\nbox office right")
        self.press("Watch")
        self.sees("Pull a cable.")
        chase = next(iter(self.roster.chases()))
        self.until(lambda _: self.roster.chase(chase.id).switches[0].asked_at is not None)
        socket = next(
            one
            for one in self.roster.ports("switch-office-1")
            if one.behind_count == 1 and not one.uplink and one.name not in ("1", "17")
        )
        self.open("/cables")
        box = self.until(lambda d: d.find_element(By.CSS_SELECTOR, "input[aria-label='Only cables that say']"))
        box.send_keys(f"switch-office-1 {socket.name}")
        self.click(
            lambda d: d.find_element(
                By.XPATH, f"//li[span[normalize-space()='switch-office-1 port {socket.name}']]//button"
            )
        )
        self.open(f"/chases/{chase.id}")
        self.sees(f"switch-office-1, port {socket.name}")
        self.press("box office left")
        self.sees("Labels of switch-office-1")
        self.assertEqual(self.roster.port(socket.id).port.notes, "box office left")
