"""Two pools of one subnet that hand out different things: on a real Kea; and said before it is saved where a server cannot do it."""

from __future__ import annotations

import unittest
from ipaddress import IPv4Network
from typing import Any

from even_roster.api.plan import BandDraft, BandEdit, HandedOutView
from even_roster.client import BadInput
from even_roster.core.address import Address, address_of
from even_roster.core.dhcp import Pool, Scope, ScopeThere, key_of_pool, keys_of, meaning
from even_roster.core.dhcp_difference import difference, lost
from even_roster.core.plan.model import HandedOut
from tests.support import dhcp_lab
from tests.support.dhcp_lab import Link, kea_command
from tests.support.lab import needs_lab
from tests.support.service import demo
from tests.test_dhcp_servers import LAPTOP, beside, kea_server, needs_kea

BESIDE = "link"

OFFICE = IPv4Network("10.44.10.0/24")
BASE = int(address_of(OFFICE.network_address))
STAFF, GUESTS = Pool(BASE + 100, BASE + 199), Pool(BASE + 200, BASE + 220)
USUAL = HandedOut(gateway=Address(BASE + 1))


def gateway(octet: int) -> HandedOut:
    return HandedOut(gateway=Address(BASE + octet))


class Differences(unittest.TestCase):
    def lines(self, wanted: Scope, there: ScopeThere) -> list[str]:
        found = difference([wanted], [there])
        self.assertEqual(found.conflicts, ())
        return [f"{line.action} {line.what} {line.before} {line.after}" for line in found.lines]

    def owned(self, scope: Scope) -> ScopeThere:
        return ScopeThere(scope, frozenset(keys_of(scope)))

    def test_what_a_pool_hands_out_is_added_changed_removed_and_follows_its_pool(self) -> None:
        plain = Scope(OFFICE, (STAFF, GUESTS), USUAL)
        other = Scope(OFFICE, (STAFF, GUESTS), USUAL, (), ((GUESTS, gateway(9)),))
        name = "gateway of 10.44.10.200-10.44.10.220"
        self.assertEqual(self.lines(other, self.owned(plain)), [f"add {name}  10.44.10.9"])
        self.assertEqual(self.lines(plain, self.owned(other)), [f"remove {name} 10.44.10.9 "])
        third = Scope(OFFICE, (STAFF, GUESTS), USUAL, (), ((GUESTS, gateway(8)),))
        self.assertEqual(self.lines(third, self.owned(other)), [f"change {name} 10.44.10.9 10.44.10.8"])
        grown = Pool(BASE + 200, BASE + 230)
        wider = Scope(OFFICE, (STAFF, grown), USUAL, (), ((grown, gateway(9)),))
        self.assertEqual(
            self.lines(wider, self.owned(other)), ["change pool 10.44.10.200-10.44.10.220 10.44.10.200-10.44.10.230"]
        )
        self.assertNotEqual(meaning([plain]), meaning([other]))

    def test_what_people_wrote_on_a_pool_stays_or_stands_against_the_plan(self) -> None:
        written = Scope(OFFICE, (GUESTS,), HandedOut(), (), ((GUESTS, gateway(9)),))
        there = ScopeThere(written, frozenset(["pool 10.44.10.200-10.44.10.220"]))
        same = Scope(OFFICE, (GUESTS,), gateway(9))
        self.assertEqual(self.lines(same, there), [], "its pools say it already")
        (conflict,) = difference([Scope(OFFICE, (GUESTS,), gateway(8))], [there]).conflicts
        self.assertIn(
            "hands out the gateway of 10.44.10.200-10.44.10.220 10.44.10.9 by hand, the plan says 10.44.10.8", conflict
        )
        self.assertEqual(difference([Scope(OFFICE, (GUESTS,))], [there]).conflicts, (), "the plan says nothing of it")
        grown = Pool(BASE + 200, BASE + 230)
        kept = ScopeThere(Scope(OFFICE, (grown,), HandedOut(), (), ((grown, gateway(9)),)))
        self.assertEqual(lost([there], [kept]), [])
        self.assertEqual(
            lost([there], [ScopeThere(Scope(OFFICE, (grown,)))]), [f"{OFFICE} {key_of_pool(GUESTS, 'gateway')}"]
        )


@needs_lab
@needs_kea
class OnKea(unittest.TestCase):
    def pools(self, on: Link) -> dict[str, list[tuple[str, str]]]:
        """What each pool hands out, as the server runs it."""
        (subnet,) = kea_command(on, "config-get")["arguments"]["Dhcp4"]["subnet4"]
        return {one["pool"]: [(o["name"], o["data"]) for o in one["option-data"]] for one in subnet["pools"]}

    def test_guests_get_another_gateway_and_all_of_it_is_taken_back(self) -> None:
        # Whoever tells the vendor class "guest" gets addresses of the second pool, the others of the first.

        with dhcp_lab.link() as on:
            config = dhcp_lab.kea_config(on.folder).replace(
                '"pools": [ { "pool": "10.44.10.100 - 10.44.10.199" } ]',
                '"pools": [ { "pool": "10.44.10.100 - 10.44.10.199", "client-class": "staff" },\n'
                '          { "pool": "10.44.10.200 - 10.44.10.220", /* guests */ "client-class": "guests" } ]',
            )
            config = config.replace(
                '{ "name": "touring", "test": "member(\'KNOWN\')" }',
                '{ "name": "touring", "test": "member(\'KNOWN\')" }, { "name": "guests", "test": "option[60].text == \'guest\'" }, '
                '{ "name": "staff", "test": "not option[60].exists" }',
            )
            with dhcp_lab.kea(on, config), beside(on) as running, running.client() as roster:
                server = roster.add_dhcp_server(kea_server(on, running))
                roster.dhcp_adopt(server.id, dry_run=False)
                bands = {band.first: band for band in roster.planned_subnet("10.44.10.0/24").bands}
                guests = bands["10.44.10.200"]
                self.assertEqual(roster.dhcp_preview(server.id).lines, [])
                own = guests.options.model_copy(update={"gateway": "10.44.10.9", "dns": ["10.44.10.9"]})
                changed = roster.edit_band(guests.id, BandEdit(options=own))
                shown = roster.dhcp_preview(server.id)
                self.assertEqual(
                    [(line.action, line.what, line.after) for line in shown.lines],
                    [
                        ("add", "gateway of 10.44.10.200-10.44.10.220", "10.44.10.9"),
                        ("add", "DNS servers of 10.44.10.200-10.44.10.220", "10.44.10.9"),
                    ],
                )
                roster.dhcp_publish(server.id, shown.digest)
                self.assertEqual(
                    self.pools(on),
                    {
                        "10.44.10.100-10.44.10.199": [],
                        "10.44.10.200-10.44.10.220": [("routers", "10.44.10.9"), ("domain-name-servers", "10.44.10.9")],
                    },
                )
                self.assertEqual(self.asked(on, "guest"), ("10.44.10.2", ["10.44.10.9"]))
                self.assertEqual(self.asked(on, ""), ("10.44.10.1", ["10.44.10.1"]))
                self.assertIn("/* guests */", (on.folder / "kea.conf").read_text())
                drawn = BandDraft(
                    id=guests.id, subnet=guests.subnet.id or 0, kind="pool", range="10.44.10.200-220", server=server.id,
                    options=own.model_copy(update={"lease_seconds": 600}),
                )  # fmt: skip
                (problem,) = roster.draft_band(drawn).items
                self.assertIn("differ in lease time, which office cannot hand out by pool", problem.sentence)
                roster.edit_band(guests.id, BandEdit(range="10.44.10.200-10.44.10.230"))
                roster.dhcp_publish(server.id)
                self.assertEqual(len(self.pools(on)["10.44.10.200-10.44.10.230"]), 2, "it goes with its pool")
                roster.edit_band(guests.id, BandEdit(range="10.44.10.200-10.44.10.220", options=guests.options))
                roster.dhcp_publish(server.id)
                self.assertEqual((on.folder / "kea.conf").read_text(), config, "octet for octet as it was")
                self.assertEqual(changed.options.gateway, "10.44.10.9")

    def asked(self, on: Link, vendor: str) -> tuple[str, list[str]]:
        """The beginning of the address that a stranger of a class gets, and the gateway."""
        found: dict[str, Any] = on.ask("02:c0:9f:00:00:21" if vendor else LAPTOP, vendor=vendor)
        return found["acked"][:10], found["router"]


class BeforeItIsSaved(unittest.TestCase):
    def test_a_server_that_cannot_do_it_is_named(self) -> None:
        with demo("--no-watch") as running, running.client() as roster:
            office = roster.planned_subnet("Office").subnet.id
            ledger = next(one.id for one in roster.dhcp_servers() if one.name == "ledger")
            other = HandedOutView(gateway="10.44.10.9", lease_seconds=28800)
            drawn = BandDraft(subnet=office, kind="pool", range="10.44.10.240-249", server=ledger, options=other)
            said = "the pools of Office differ in gateway, which ledger cannot hand out by pool"
            self.assertEqual([one.sentence for one in roster.draft_band(drawn).items], [said])
            same = drawn.model_copy(update={"options": HandedOutView(lease_seconds=28800)})
            self.assertEqual(roster.draft_band(same).items, [])
            words = "band add Office pool 240-249 --by ledger --lease 28800 --gateway 10.44.10.9"
            told = running.roster(*words.split())
            self.assertIn("which ledger cannot hand out by", " ".join(told.stdout.split()))
            with self.assertRaisesRegex(BadInput, r"\(gateway\), which their server cannot"):
                roster.dhcp_preview(ledger)


if __name__ == "__main__":
    unittest.main()
