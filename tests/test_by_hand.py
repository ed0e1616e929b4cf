"""A server that only a person can tell anything: its sheet, and what the wire shows of it. A real dnsmasq stands for the router."""

from __future__ import annotations

import os
import signal
import unittest
from ipaddress import IPv4Network
from typing import Any

from even_roster.core.address import Address, address_of
from even_roster.core.dhcp import Pool, Reservation, Scope
from even_roster.core.findings.offers import Offer
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.plan.model import HandedOut
from even_roster.core.ticking import Shown, Tick, parts, restored, stored, ticks
from tests.support import dhcp_lab
from tests.support.lab import needs_lab
from tests.support.patience import until
from tests.support.service import Service, service
from tests.test_dhcp_servers import LAPTOP, needs_dnsmasq

BESIDE = "link"

OFFICE = IPv4Network("10.44.10.0/24")
BASE = int(address_of(OFFICE.network_address))


def offer(address: int, **given: Any) -> Offer:
    values: dict[str, Any] = {
        "server": BASE + 1, "mac": MacNumber(0x02C010000001), "relay": 0, "address": Address(BASE + address),
        "mask": int(OFFICE.netmask), "gateways": (BASE + 1,), "dns": (Address(BASE + 1),), "domain": "larkspur.example", "ntp": (),
        "lease": 3600,
    }  # fmt: skip
    return Offer(**{**values, **given})


class Ticks(unittest.TestCase):
    ENTRY = Reservation(Mac.parse(LAPTOP).value, Address(BASE + 181), "portable-05")
    SCOPE = Scope(
        OFFICE, (Pool(BASE + 100, BASE + 149),),
        HandedOut(lease_seconds=3600, gateway=Address(BASE + 1), domain="Larkspur.example", boot_file="x"), (ENTRY,),
    )  # fmt: skip

    def ticked(
        self, *offers: Offer, asked: list[Offer] | None = None, before: list[Shown] | None = None
    ) -> dict[str, Tick]:
        answers = {self.ENTRY.mac: asked} if asked is not None else {}
        known = {(one.network, one.key): one for one in before or ()}
        return {self.short(one.key): one.tick for one in ticks(self.SCOPE, offers, answers, known, 5)}

    @staticmethod
    def short(key: str) -> str:
        return key.split(" ")[1 if key.startswith("option") else -1]

    def test_what_offers_show_is_ticked_and_nothing_else(self) -> None:
        nothing = self.ticked()
        self.assertEqual(set(nothing.values()), {Tick.OPEN, Tick.HIDDEN})
        told = self.ticked(offer(120), asked=[offer(181)])
        self.assertEqual(
            told,
            {
                "10.44.10.100-10.44.10.149": Tick.IN_EFFECT, "lease_seconds": Tick.IN_EFFECT, "gateway": Tick.IN_EFFECT,
                "domain": Tick.IN_EFFECT, "boot_file": Tick.HIDDEN, "10.44.10.181": Tick.ENTERED,
            },
        )  # fmt: skip
        other = self.ticked(offer(170, gateways=(), lease=60, domain=""), asked=[offer(120)])
        self.assertEqual({one for key, one in other.items() if key != "boot_file"}, {Tick.NOT_YET})
        self.assertEqual(self.ticked(offer(120), asked=[])["10.44.10.181"], Tick.OPEN, "no offer proves nothing")

    def test_what_is_not_shown_now_stays_as_it_was_shown_before_but_only_for_the_same_entry(self) -> None:
        first = list(ticks(self.SCOPE, [offer(120)], {self.ENTRY.mac: [offer(181)]}, {}, 5))
        kept = restored(stored(first, 5))
        again = list(ticks(self.SCOPE, [], {}, kept, 9))
        self.assertEqual([one.tick for one in again], [one.tick for one in first])
        self.assertEqual({one.at for one in again if one.tick is not Tick.HIDDEN}, {5}, "shown then, not now")
        moved = Scope(OFFICE, (), HandedOut(), (Reservation(self.ENTRY.mac, Address(BASE + 182)),))
        self.assertEqual([one.tick for one in ticks(moved, [], {}, kept, 9)], [Tick.OPEN])
        other = Scope(OFFICE, (), HandedOut(gateway=Address(BASE + 9), boot_file="y"))
        self.assertEqual([one.tick for one in ticks(other, [], {}, kept, 9)], [Tick.OPEN, Tick.HIDDEN], "another value")
        self.assertEqual([part.tick for part in parts(other)], [Tick.OPEN, Tick.HIDDEN])


@needs_lab
@needs_dnsmasq
class OnTheWire(unittest.TestCase):
    def lines(self, running: Service, *more: str) -> dict[str, tuple[str, str]]:
        found: Any = running.json("dhcp", "sheet", "router", *more)
        self.assertEqual(found["remarks"], [])
        return {line["value"]: (line["tick"], line["said"]) for line in found["lines"]}

    def state(self, running: Service) -> str:
        found: Any = running.json("assignment", "--in", "Office")
        return str(found["items"][0]["reservation"]["sentence"])

    def test_the_sheet_is_ticked_off_as_a_person_enters_it(self) -> None:
        with dhcp_lab.link() as on:
            on.inside.ip("address", "add", "10.44.10.9/24", "dev", "cli0")
            with dhcp_lab.dnsmasq(on, ""), service("serve", inside=on.inside) as running:
                for words in (
                    "dhcp add router --by-hand --address 10.44.10.2", "subnet add 10.44.10.0/24 --name Office --gateway 10.44.10.1",
                    "band add Office pool 100-149 --by router --lease 1h", f"reserve {LAPTOP} 10.44.10.181 --name portable-05",
                ):  # fmt: skip
                    done = running.roster(*words.split())
                    self.assertEqual(done.returncode, 0, done.stderr)
                self.assertIn("Nothing was handed out", running.roster("dhcp", "sheet", "router").stdout)
                given = running.roster("dhcp", "publish", "router", "--yes")
                self.assertIn("nothing was sent", given.stdout)
                self.assertNotIn("verified", given.stdout)
                entry = f"{LAPTOP} 10.44.10.181 portable-05"
                self.assertEqual({tick for tick, _ in self.lines(running).values()}, {"not shown yet"})
                asked: dict[str, tuple[str, str]] = {}

                def shown() -> bool:  # the server may take longer to answer than is waited
                    asked.update(self.lines(running, "--look"))
                    return asked["10.44.10.100-10.44.10.149"][0] != "not shown yet"

                until(shown, "the pool is never shown")
                self.assertEqual(asked["10.44.10.1"], ("in effect", "the server offers it"))
                self.assertEqual(asked["3600 s"][0], "in effect")
                self.assertEqual(
                    asked["10.44.10.100-10.44.10.149"][0], "not yet" if self.beyond(asked) else "in effect"
                )
                self.assertEqual(asked[entry][0], "not yet")
                self.assertRegex(asked[entry][1], r"the server offers 10\.44\.10\.1\d\d to this MAC")
                self.assertIn("not entered into the server yet", self.state(running))
                (on.folder / "hosts").write_text(f"{LAPTOP},10.44.10.181,portable-05\n")  # a person enters it
                os.kill(int((on.folder / "pid").read_text()), signal.SIGHUP)
                until(
                    lambda: self.lines(running, "--look")[entry][0] == "entered", "what was entered is not ticked off"
                )
                self.assertIn("entered into the server", self.state(running))
                self.assertEqual(on.ask(LAPTOP)["acked"], "10.44.10.181", "asking took nothing away")

    @staticmethod
    def beyond(asked: dict[str, tuple[str, str]]) -> bool:
        """The router's own pool goes to .199: by chance a stranger is offered one that the plan does not hand out."""
        return "lies in no pool" in asked["10.44.10.100-10.44.10.149"][1]

    def test_only_a_server_that_is_edited_by_hand_has_a_sheet(self) -> None:
        with service("demo", "--no-open") as running:
            self.assertIn("told by the service itself", running.roster("dhcp", "sheet", "ledger").stderr)
            self.assertIn("leave out", running.roster("dhcp", "add", "router", "--by-hand", "--reach", "x").stderr)


if __name__ == "__main__":
    unittest.main()
