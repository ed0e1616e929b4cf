"""What a request for a scan means here and now, and what rulers, sheets and search make of what scans recorded."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import Sequence
from ipaddress import IPv4Address, IPv4Interface, IPv4Network
from pathlib import Path
from typing import Any

from even_roster.api.network import Ruler
from even_roster.api.plan import AssignmentNew
from even_roster.api.scans import ScanRequest
from even_roster.core.absence import Reason, Silence
from even_roster.core.adapters import Adapter, AdapterError
from even_roster.core.address import Address
from even_roster.core.findings import rounds
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.names import Name, NameSource
from even_roster.core.past.looks import Kind, Look
from even_roster.core.past.rule import PROBABLE
from even_roster.core.plan.model import Subnet
from even_roster.core.ranges import RangeError
from even_roster.core.stays import SAME_MOMENT_MS, Sighting, Source
from even_roster.core.targets import TargetError, asked
from even_roster.service import setting_edits
from even_roster.service.context import Context, now_ms, open_context
from even_roster.service.devices import device_views
from even_roster.service.knowing.plan_book import Edit
from even_roster.service.lookup import find_routes as finding
from even_roster.service.lookup import ruler as rulers
from even_roster.service.lookup.explain import explain_address, explain_mac
from even_roster.service.plan import planning
from even_roster.service.scans.running_scans import Resolved, RunningScans
from even_roster.service.settings import Settings
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.store import absence_records, device_queries, scan_records
from even_roster.store.intake import NameHeard, take_in
from even_roster.store.scan_records import SegmentSeen

BESIDE = "anything"

OFFICE = IPv4Network("10.44.10.0/24")
BASE = int(OFFICE.network_address)
PRINTER = MacNumber(0x02C044000001)
AFAR = SegmentSeen("behind the gateway", "10.44.10.0/24", Address(BASE + 1))


class Elsewhere(StandinMachine):
    """The machine carried to another site."""

    def adapters(self) -> list[Adapter]:
        return [Adapter("port0", Mac(MacNumber(9)), (IPv4Interface("10.99.3.7/24"),), gateway=IPv4Address("10.99.3.1"))]


class WithContext(unittest.TestCase):
    context: Context

    def setUp(self) -> None:
        home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.context = open_context(Settings(home=home), StandinMachine(larkspur.build()))
        self.addCleanup(lambda: self.context.close())
        self.now = now_ms()

    def segment(self, subnet: str = str(OFFICE)) -> int:
        with self.context.database.write() as connection:
            return scan_records.segment_id(connection, SegmentSeen("office0", subnet, Address(BASE + 1)), self.now)

    def remember(self, *ranges: str, subnet: str = str(OFFICE)) -> list[int]:
        segment = self.segment(subnet)
        with self.context.database.write() as connection:
            return [scan_records.remember(connection, segment, text, self.now + n) for n, text in enumerate(ranges)]

    def see(self, pairs: Sequence[tuple[int, int]], *, before: int = 0, name: str | None = None) -> None:
        """(last octet, MAC) pairs seen `before` milliseconds ago."""
        segment, at = self.segment(), self.now - before
        sightings = [Sighting(Address(BASE + octet), MacNumber(mac), at, Source.ARP) for octet, mac in pairs]
        heard = (
            [NameHeard(Address(BASE + o), MacNumber(mac), Name(name, NameSource.DNS), at) for o, mac in pairs]
            if name
            else []
        )
        with self.context.database.write() as connection:
            take_in(connection, segment, sightings, heard, {}, self.context.vendor_of)

    def asked(self, octet: int, *macs: int, after: int = 0) -> None:
        """Just these answered one question for an address, `after` milliseconds after now."""
        with self.context.findings.looking() as world:
            answered = [MacNumber(mac) for mac in macs]
            rounds.over(world, Address(BASE + octet), answered, world.now + after, "office0", controlled=True)

    def scanned(self, targets: str = str(OFFICE), *, before: int = 0, state: str = "done") -> int:
        """A recorded scan that began `before` milliseconds ago."""
        with self.context.database.write() as connection:
            scan = scan_records.begin(
                connection, segment_id=scan_records.segment_id(connection, SegmentSeen("office0", str(OFFICE), Address(BASE + 1)), self.now),
                door="standin", adapter="office0", targets=targets, total=254, options={}, started=self.now - before, who="test",
            )  # fmt: skip
            scan_records.end(connection, scan, state, self.now - before + 1500, 700, 50, [])
        if state == "done":
            began = self.now - before
            self.context.looks.over(
                [Look(Kind.SCAN, Source.ARP, "office0", asked(targets, str(OFFICE)), began, began + 1500)]
            )
        return scan

    def silent(self, octet: int, mac: int, *, before: int) -> None:
        """It was asked without an answer `before` milliseconds ago."""
        at, pair = self.now - before, (Address(BASE + octet), MacNumber(mac))
        with self.context.database.write() as connection:
            absence_records.keep(connection, self.context.plan.site_here, {(*pair, at): Silence(1, at, at)})


class Orders(WithContext):
    def resolve(self, *targets: str, **more: Any) -> Resolved:
        return RunningScans(self.context).resolve(ScanRequest(targets=list(targets), **more))

    def test_a_subnet_is_scanned_from_the_adapter_that_stands_in_it(self) -> None:
        order = self.resolve("10.44.20.0/24")
        self.assertEqual((order.adapter.name, len(order.spans), order.canonical), ("stage0", 254, "10.44.20.0/24"))
        self.assertEqual((order.segment.subnet, order.remember), ("10.44.20.0/24", True))

    def test_a_range_behind_the_gateway_goes_by_the_default_route_whole(self) -> None:
        order = self.resolve("10.44.30.0/24")
        self.assertEqual((order.adapter.name, len(order.spans)), ("office0", 256))

    def test_exceptions_may_stand_in_the_text_or_beside_it(self) -> None:
        beside = self.resolve("10.44.10.0/24", exceptions=["10.44.10.100-199", "10.44.10.7"])
        inside = self.resolve("10.44.10.0/24 except 10.44.10.100-199, 10.44.10.7")
        self.assertEqual((beside.spans, len(beside.spans)), (inside.spans, 153))

    def test_a_few_addresses_are_not_remembered(self) -> None:
        self.assertEqual(
            [self.resolve(text).remember for text in ("10.44.10.7", "10.44.10.1-15", "10.44.10.1-16")],
            [False, False, True],
        )

    def test_nothing_named_means_the_own_subnet_and_later_what_was_remembered(self) -> None:
        first = self.resolve()
        self.assertEqual((first.canonical, first.remember), ("10.44.10.0/24", False))
        self.assertIn("nothing was named", first.reason)
        self.remember("10.44.10.0/25", "10.44.30.0/24")
        later = self.resolve()
        self.assertEqual(later.canonical, "10.44.10.0/25, 10.44.30.0/24")
        self.assertIn("remembered ranges of this segment", later.reason)

    def test_ranges_of_another_segment_are_never_scanned_unasked(self) -> None:
        self.remember("10.44.10.0/24", "10.44.30.0/24")
        self.context.machine = Elsewhere(larkspur.build())
        self.assertEqual(self.resolve().canonical, "10.99.3.0/24")

    def test_names_of_ranges_stand_for_them(self) -> None:
        (office,) = self.remember("10.44.10.0/24")
        setting_edits.name_range(self.context, "keeper", office, "Front of house")
        order = self.resolve("front of house except 10.44.10.1-99")
        self.assertEqual(len(order.spans), 155)

    def test_an_adapter_can_be_demanded_and_must_exist(self) -> None:
        self.assertEqual(self.resolve(adapter="stage0").canonical, "10.44.20.0/24")
        with self.assertRaises(AdapterError):
            self.resolve(adapter="eth9")

    def test_impossible_orders_are_refused_before_anything_is_sent(self) -> None:
        for targets, kind in (
            (("",), RangeError), (("10.44.10.0/24", " "), RangeError), (("10.44.10.255",), RangeError), (("10.44.10.0",), RangeError),
            (("8.8.8.8",), TargetError), (("10.0.0.0/8",), TargetError), (("127.0.0.1",), TargetError), (("224.0.0.0/24",), TargetError),
        ):  # fmt: skip
            with self.subTest(targets), self.assertRaises(kind):
                self.resolve(*targets)

    def test_what_a_recorded_scan_asked_leaves_the_edges_of_its_subnet_out(self) -> None:
        self.assertEqual(len(asked("10.44.10.0/24", "10.44.10.0/24")), 254)
        self.assertEqual(len(asked("10.44.30.0/24", "10.44.10.0/24")), 256)


class Rulers(WithContext):
    def draw(self, subnet: str = str(OFFICE)) -> Ruler:
        with self.context.database.read() as connection:
            return rulers.draw(self.context, connection, IPv4Network(subnet))

    def states(self) -> dict[int, str]:
        return {int(IPv4Address(tick.address)) - BASE: tick.state for tick in self.draw().ticks}

    def test_an_address_answers_if_it_did_lately_or_in_the_last_full_scan_and_no_look_was_without_its_answer(
        self,
    ) -> None:
        self.see([(7, 0xA), (8, 0xB), (9, 0xE)], before=900_000)
        self.see([(10, 0xF)], before=PROBABLE + 1000)
        self.scanned(before=1000)
        self.silent(7, 0xA, before=1000)
        self.see([(8, 0xB), (1, 0xC), (20, 0xD)])
        self.assertEqual(
            self.states(), {7: "seen", 8: "answering", 9: "answering", 10: "seen", 1: "gateway", 20: "self"}
        )

    def test_a_lease_alone_answers_nothing(self) -> None:
        with self.context.database.write() as connection:
            leased = [Sighting(Address(BASE + 7), MacNumber(0xA), self.now, Source.LEASE)]
            segment = scan_records.segment_id(connection, SegmentSeen("office0", str(OFFICE), None), self.now)
            take_in(connection, segment, leased, [], {}, self.context.vendor_of)
        self.assertEqual(self.states(), {})

    def test_a_scan_of_a_part_or_a_stopped_one_says_nothing_about_the_rest(self) -> None:
        self.see([(7, 0xA)], before=PROBABLE + 5000)
        self.scanned(before=PROBABLE + 6000)
        self.scanned("10.44.10.100-10.44.10.199", before=1000)
        self.scanned(before=500, state="stopped")
        self.assertEqual(self.states(), {7: "answering"})

    def test_without_a_scan_what_answered_within_two_hours_does_probably_still(self) -> None:
        self.see([(7, 0xA)])
        self.see([(8, 0xB)], before=PROBABLE + 1000)
        self.assertEqual(self.states(), {7: "answering", 8: "seen"})

    def test_two_that_answered_one_question_are_two_and_one_after_the_other_are_not(self) -> None:
        self.scanned(before=1000)
        self.see([(41, 0xA), (41, 0xB)])
        self.see([(42, 0xC)], before=SAME_MOMENT_MS * 3)
        self.see([(42, 0xD)])
        self.assertEqual(self.states(), {41: "answering", 42: "answering"}, "nobody asked both at once")
        self.asked(41, 0xA, 0xB)
        self.asked(42, 0xD)
        self.assertEqual(self.states(), {41: "two", 42: "answering"})

    def test_a_large_subnet_is_counted_in_stretches_that_cover_it_once(self) -> None:
        self.scanned("10.44.0.0/16", before=1000)
        self.see([(7, 0xA), (8, 0xB), (9, 0xC), (9, 0xD)])
        self.asked(9, 0xC, 0xD)
        drawn = self.draw("10.44.0.0/16")
        self.assertEqual((drawn.ticks, len(drawn.stretches), drawn.count), ([], 256, 65_536))
        for one, other in zip(drawn.stretches, drawn.stretches[1:], strict=False):
            self.assertEqual(int(IPv4Address(other.first)), int(IPv4Address(one.last)) + 1)
        (lived,) = (stretch for stretch in drawn.stretches if stretch.answering)
        self.assertEqual((lived.first, lived.answering, lived.two), ("10.44.10.0", 3, 1))


class Telling(WithContext):
    def explain(self, octet: int) -> str:
        with self.context.database.read() as connection:
            return " ".join(explain_address(self.context, connection, IPv4Address(BASE + octet)).sentences)

    def test_an_address_is_explained_as_what_it_is(self) -> None:
        self.assertIn("It is the gateway of office0.", self.explain(1))
        self.assertIn("It is the network address: no device can have it.", self.explain(0))
        self.assertIn("It is the broadcast address", self.explain(255))
        self.assertIn("No scan has asked for it yet.", self.explain(9))
        self.scanned()
        self.assertIn("it was silent", self.explain(9))

    def test_a_change_of_holder_is_told(self) -> None:
        self.see([(30, 0xA)], before=SAME_MOMENT_MS * 5)
        self.see([(30, PRINTER)], name="printer-1.larkspur.example")
        told = self.explain(30)
        self.assertIn("Printer-1.larkspur.example (02:c0:44:00:00:01) holds it", told)
        self.assertIn("Before that 1 other adapter held it.", told)

    def test_who_was_asked_in_vain_holds_it_no_more(self) -> None:
        self.scanned("10.44.0.0/16", before=1000)
        self.see([(30, 0xA), (30, PRINTER)])
        both = f"{Mac(MacNumber(PRINTER))}", f"{Mac(MacNumber(0xA))}"
        self.assertIn("answered there too, last just now, but not together with it", self.explain(30))
        self.assertEqual(self.state(30), "answering")
        self.asked(30, 0xA, PRINTER)
        self.assertIn("It is claimed by two", self.explain(30), "both answered one question")
        self.assertEqual(self.state(30), "two")
        self.asked(30, PRINTER, after=1)
        self.assertEqual(self.state(30), "answering")
        self.gone(0xA, Reason.GAVE_WAY)
        told = self.explain(30)
        self.assertIn(f"A device without a name ({both[0]}) holds it", told)
        self.assertNotIn("claimed", told)
        self.assertEqual(self.state(30), "answering")
        self.gone(PRINTER, Reason.SILENT)
        self.assertEqual(self.state(30), "seen")
        told = self.explain(30)
        self.assertIn(f"Nobody is known to hold it now; a device without a name ({both[0]}) did last", told)
        self.assertIn("it did not answer any more", told)
        self.assertNotIn("holds it", told)

    def test_what_is_planned_and_was_never_seen_is_told_as_what_it_is(self) -> None:
        here, mac = self.context.plan.site_here, MacNumber(0x02C044000077)
        office = Subnet(0, here, "Office", OFFICE)
        self.context.plan.edit("a hand", lambda plan: Edit("add", "subnet", "x", (), (office,)))
        for octet, planned in ((40, None), (41, mac), (42, MacNumber(0x02C044000078))):
            request = AssignmentNew(
                address=f"10.44.10.{octet}", name=f"desk-{octet}", mac=str(Mac(planned)) if planned else None
            )
            make = planning.assign(request, here, Address(BASE + octet), planned)
            self.context.plan.edit("a hand", make, anyway=True)
        self.assertIn("It was planned without a MAC: whoever answers here may be it", self.explain(40))
        self.assertIn("It is expected: it was never seen.", self.explain(41))
        self.see([(99, mac)])
        self.assertIn("Its device was last seen at 10.44.10.99, just now.", self.explain(41))
        self.see([(41, mac)])
        self.assertNotIn("Its device was last seen", self.explain(41))
        with self.context.database.write() as connection:
            afar = [Sighting(Address(BASE + 41), None, self.now, Source.ECHO)]
            take_in(
                connection, scan_records.segment_id(connection, AFAR, self.now), afar, [], {}, self.context.vendor_of
            )
        self.assertNotIn("Its own MAC was never seen", self.explain(41))
        with self.context.database.write() as connection:
            afar = [Sighting(Address(BASE + 42), None, self.now, Source.ECHO)]
            take_in(
                connection, scan_records.segment_id(connection, AFAR, self.now), afar, [], {}, self.context.vendor_of
            )
        told = self.explain(42)
        self.assertIn("Its own MAC was never seen: who answers here is behind the gateway", told)
        self.assertNotIn("it was never seen", told)

    def state(self, octet: int) -> str:
        """How the ruler draws an address, whole and in stretches alike."""
        with self.context.database.read() as connection:
            drawn = rulers.draw(self.context, connection, OFFICE)
            wide = rulers.draw(self.context, connection, IPv4Network("10.44.0.0/16"))
        self.assertEqual(sum(one.two for one in wide.stretches), sum(1 for one in drawn.ticks if one.state == "two"))
        if wide.last_scan is not None:
            self.assertEqual((wide.answering, wide.seen), (drawn.answering, drawn.seen))
        return next(one.state for one in drawn.ticks if one.address == f"10.44.10.{octet}")

    def gone(self, mac: int, reason: Reason) -> None:
        """What was found out of a device at .30 by asking."""
        silence = Silence(3, self.now + 1, self.now + 2, reason, self.now)
        with self.context.database.write() as connection:
            absence_records.keep(
                connection, self.context.plan.site_here, {(Address(BASE + 30), MacNumber(mac), silence.first): silence}
            )

    def test_macs_are_explained_even_when_never_seen(self) -> None:
        with self.context.database.read() as connection:
            group = explain_mac(self.context, connection, Mac.parse("01:00:5e:00:00:fb"))
            own = explain_mac(self.context, connection, Mac.parse("ee:00:00:00:00:01"))
        self.assertIn("It is a group address: no adapter can have it.", group.sentences)
        self.assertIn("never seen here", " ".join(own.sentences))
        self.assertIn("most likely randomised", own.sentences[0])

    def test_what_matched_a_search_is_said(self) -> None:
        self.see([(30, PRINTER)], name="printer-1.larkspur.example")
        with self.context.database.read() as connection:
            row = device_queries.page(connection, device_queries.DeviceFilter(), "address", False, None, 1).rows[0]
        for text, field in (("printer", "name heard"), ("10.30", "address"), ("02-C0", "mac"), ("4400.0001", "mac")):
            self.assertEqual(finding._device(row, text, "").matched, field)

    def test_devices_that_share_a_hostname_are_hinted_at_on_their_sheets_and_no_others(self) -> None:
        self.see([(81, 0xA)], name="desk-front.larkspur.example")
        self.see([(97, 0xB)], name="DESK-FRONT")
        self.see([(98, 0xC)], name="desk-front-2.larkspur.example")
        with self.context.database.read() as connection:
            sheets = {
                mac: device_views.sheet(
                    self.context, connection, device_queries.device_of_mac(connection, MacNumber(mac)) or 0
                )
                for mac in (0xA, 0xB, 0xC)
            }
        self.assertEqual([[d.id for d in hint.devices] for hint in sheets[0xA].hints], [[sheets[0xB].device.id]])
        self.assertEqual(sheets[0xC].hints, [])


if __name__ == "__main__":
    unittest.main()
