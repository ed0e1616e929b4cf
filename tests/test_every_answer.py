"""Every answer about the same device or address says the same, over the demo site and on a link with real kernels."""

from __future__ import annotations

import unittest

from even_roster.api.devices import DeviceEdit
from tests.support.answers import agree, counted, disagreements
from tests.support.effort import effort
from tests.support.lab import needs_lab
from tests.support.patience import until
from tests.support.service import demo
from tests.support.yard import TWIN, Yard

BESIDE = "link"
PART = "test and endure"

EVERY = effort(3, 1, 1)
"""Of how many of the demo's devices and assignments one is asked about."""


class OverTheDemo(unittest.TestCase):
    def test_all_answers_agree_on_name_role_address_state_and_last_seen(self) -> None:
        with demo(watch=True) as service, service.client() as roster:
            kinds = {"duplicate-address", "unexpected-dhcp-server", "assignment-not-in-effect", "proxy-arp"}
            until(
                lambda: kinds <= {one.kind for one in roster.findings("standing")},
                "what the site shows is not told",
                pause=0.2,
            )
            agree(lambda: disagreements(roster, EVERY), "as it was found")
            agree(lambda: counted(service, roster), "in the metrics")
            printer = next(one for one in roster.devices() if one.address == "10.44.10.30")
            roster.edit_device(printer.id, DeviceEdit(name="printer-by-the-stairs", role="other"))
            agree(lambda: disagreements(roster, EVERY), "after an edit")


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
        agree(lambda: self.do(disagreements), when)
