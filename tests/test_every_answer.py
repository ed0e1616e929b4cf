"""Every answer about the same device or address says the same, over the demo site and on a link with real kernels."""

from __future__ import annotations

import unittest

from even_roster.api.devices import DeviceEdit
from even_roster.client import Roster
from tests.support.answers import counted, disagreements, told
from tests.support.lab import needs_lab
from tests.support.patience import until
from tests.support.service import demo
from tests.support.yard import TWIN, Yard

BESIDE = "link"


class OverTheDemo(unittest.TestCase):
    def test_all_answers_agree_on_name_role_address_state_and_last_seen(self) -> None:
        with demo(watch=True) as service, service.client() as roster:
            kinds = {"duplicate-address", "unexpected-dhcp-server", "assignment-not-in-effect", "proxy-arp"}
            until(
                lambda: kinds <= {one.kind for one in roster.findings("standing")},
                "what the site shows is not told",
                pause=0.2,
            )
            self.agree(roster)
            until(lambda: not counted(service, roster), lambda: told(counted(service, roster)), pause=0.5)
            printer = next(one for one in roster.devices() if one.address == "10.44.10.30")
            roster.edit_device(printer.id, DeviceEdit(name="printer-by-the-stairs", role="other"))
            self.agree(roster)

    def agree(self, roster: Roster) -> None:
        found: list[str] = []

        def agreed() -> bool:
            found[:] = disagreements(roster, every=3)
            return not found

        until(agreed, lambda: told(found), pause=0.5)


@needs_lab
class OnALink(Yard):
    def test_they_agree_while_others_come_take_over_and_go(self) -> None:
        self.listening()
        self.look()
        self.until(set())
        self.agree("in quiet")
        rival = self.street.join("10.77.0.20/24", TWIN)
        self.until({("duplicate-address", "10.77.0.20")}, self.look)
        self.agree("with two at one address")
        rival.run("ip", "address", "replace", "10.77.0.66/24", "dev", "eth0")
        rival.run("ip", "address", "del", "10.77.0.20/24", "dev", "eth0")
        self.until(set(), self.look)
        self.agree("after it has moved")
        self.do(lambda r: r.edit_device(TWIN, DeviceEdit(name="visitor", role="portable")))
        self.agree("after it was named")
        self.service.stop()
        self.start()
        self.listening()
        self.agree("after a restart")

    def agree(self, when: str) -> None:
        found: list[str] = []

        def agreed() -> bool:
            found[:] = self.do(disagreements)
            return not found

        until(agreed, lambda: f"{when}: {told(found)}", pause=0.5)
