"""Decisions as pure functions: stays, identity, which range may be scanned, which adapter is used."""

from __future__ import annotations

import unittest
from ipaddress import IPv4Address, IPv4Interface, IPv4Network

from even_roster.core.adapters import Adapter, AdapterError, choose
from even_roster.core.address import Address
from even_roster.core.identity import Known, suggest_joins
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.names import Name, NameSource
from even_roster.core.naming import Called, called
from even_roster.core.ranges import parse
from even_roster.core.span import SpanSet
from even_roster.core.stays import GAP_MS, SAME_MOMENT_MS, Sighting, Source, Stay, fold, holder_at
from even_roster.core.targets import TargetError, check, duration, scannable
from tests.support.drawing import given, st

BESIDE = "anything"

HOUR = 3_600_000


SOMEBODY = MacNumber(7)


def seen(at: int, mac: MacNumber | None = SOMEBODY, address: int = 1, source: Source = Source.ARP) -> Sighting:
    return Sighting(Address(address), mac, at, source)


def stored(first: int, last: int, mac: MacNumber | None = SOMEBODY, identity: int = 1) -> Stay:
    return Stay(identity, Address(1), mac, first, last, 3, Source.ARP)


class Stays(unittest.TestCase):
    def test_a_quiet_device_is_one_stay_however_often_it_is_seen(self) -> None:
        folded = fold({}, {}, [seen(at * HOUR) for at in range(100)])
        self.assertEqual([(s.first, s.last, s.count) for s in folded.begun], [(0, 99 * HOUR, 100)])

    def test_a_stored_stay_grows_and_collects_its_sources(self) -> None:
        stay = stored(0, HOUR)
        folded = fold({stay.pair: stay}, {Address(1): [stay]}, [seen(2 * HOUR, source=Source.ECHO)])
        self.assertEqual(folded.begun, [])
        grown = folded.grown[0]
        self.assertEqual((grown.id, grown.last, grown.count, grown.sources.words), (1, 2 * HOUR, 4, ["arp", "echo"]))

    def test_a_long_absence_begins_a_new_stay(self) -> None:
        stay = stored(0, HOUR)
        folded = fold({stay.pair: stay}, {Address(1): [stay]}, [seen(HOUR + GAP_MS + 1)])
        self.assertEqual((len(folded.begun), folded.grown), (1, []))

    def test_another_holder_in_between_breaks_a_stay(self) -> None:
        mine, other = stored(0, HOUR), stored(2 * HOUR, 3 * HOUR, mac=MacNumber(8), identity=2)
        folded = fold({mine.pair: mine}, {Address(1): [mine, other]}, [seen(4 * HOUR)])
        self.assertEqual([stay.first for stay in folded.begun], [4 * HOUR])

    def test_two_that_answer_side_by_side_break_nothing(self) -> None:
        mine, other = stored(0, HOUR), stored(0, HOUR + SAME_MOMENT_MS // 2, mac=MacNumber(8), identity=2)
        folded = fold({mine.pair: mine, other.pair: other}, {Address(1): [mine, other]}, [seen(HOUR + SAME_MOMENT_MS)])
        self.assertEqual([stay.id for stay in folded.grown], [1])

    @given(st.lists(st.tuples(st.integers(0, 50), st.integers(1, 3)), min_size=1, max_size=40))
    def test_folding_in_batches_is_folding_at_once(self, moments: list[tuple[int, int]]) -> None:
        sightings = sorted((seen(at * HOUR, MacNumber(mac)) for at, mac in moments), key=lambda one: one.at)
        at_once = fold({}, {}, sightings).begun
        self.assertEqual(sum(stay.count for stay in at_once), len(sightings))
        for one in sightings:
            holders = [stay.mac for stay in holder_at(at_once, one.at)]
            self.assertIn(one.mac, holders)

    def test_who_had_it_then(self) -> None:
        stays = [stored(0, HOUR), stored(2 * HOUR, 3 * HOUR, mac=MacNumber(8), identity=2)]
        self.assertEqual([stay.mac for stay in holder_at(stays, 2 * HOUR + 5)], [8])
        self.assertEqual(holder_at(stays, HOUR + 5), [])


class Naming(unittest.TestCase):
    def test_one_name_is_shown_and_it_is_said_why(self) -> None:
        heard = [
            Name("desk.larkspur.example", NameSource.DNS),
            Name("DESK", NameSource.NETBIOS),
            Name("till-7", NameSource.DHCP),
        ]
        for hand, planned, names, wanted in (
            ("Box office", "printer-1", heard, Called("Box office", "given by hand")),
            ("", "printer-1", heard, Called("printer-1", "planned hostname")), ("", "", heard, Called("till-7", "heard by dhcp")),
            ("", "", heard[:2], Called("desk.larkspur.example", "heard by dns")), ("", "", [], Called("", "")),
        ):  # fmt: skip
            self.assertEqual(called(hand, planned, names), wanted)


class Identity(unittest.TestCase):
    def test_devices_with_one_hostname_are_suggested_to_be_joined_and_no_more(self) -> None:
        wired = Known(1, frozenset({"portable-02.local"}), frozenset({Address(10)}))
        wireless = Known(2, frozenset({"PORTABLE-02"}), frozenset({Address(11)}))
        other = Known(3, frozenset({"desk-front"}), frozenset({Address(12)}))
        found = suggest_joins([wired, wireless, other])
        self.assertEqual([suggestion.devices for suggestion in found], [(1, 2)])
        self.assertIn("different addresses", found[0].reason)

    def test_names_that_everything_bears_suggest_nothing(self) -> None:
        many = [Known(i, frozenset({"terminal"}), frozenset({Address(i)})) for i in range(9)]
        self.assertEqual(suggest_joins(many), [])
        self.assertEqual(suggest_joins([Known(i, frozenset({"localhost"}), frozenset()) for i in range(2)]), [])


class Targets(unittest.TestCase):
    def verdict(self, text: str, *, confirmed: bool = False, known: str | None = None) -> str:
        try:
            check(
                parse(text), text, pace=1000, rounds=3, confirmed=confirmed, known=parse(known) if known else SpanSet()
            )
        except TargetError as error:
            return error.code
        return "fine"

    def test_large_ranges_are_sized_up(self) -> None:
        self.assertEqual(self.verdict("10.44.0.0/20"), "fine")
        self.assertEqual(self.verdict("10.44.0.0/18"), "needs_confirm")
        self.assertEqual(self.verdict("10.44.0.0/18", confirmed=True), "fine")
        self.assertEqual(self.verdict("10.0.0.0/8", confirmed=True), "too_large")

    def test_the_refusal_says_how_many_and_how_long(self) -> None:
        with self.assertRaisesRegex(TargetError, r"16,777,216 addresses, about 13 h 59 min"):
            check(parse("10.0.0.0/8"), "10.0.0.0/8", pace=1000, rounds=3, confirmed=True, known=SpanSet())

    def test_addresses_of_nobodys_site_are_refused(self) -> None:
        for text in ("8.8.8.0/24", "203.0.113.0/24", "10.0.0.1, 9.9.9.9"):
            self.assertEqual(self.verdict(text), "public")
        self.assertEqual(self.verdict("203.0.113.0/24", known="203.0.113.0/24"), "fine")
        for text in ("127.0.0.0/24", "224.0.0.0/28", "255.255.255.255"):
            self.assertEqual(self.verdict(text), "not_scannable")

    def test_network_and_broadcast_of_own_subnets_are_not_asked(self) -> None:
        left = scannable(parse("10.44.10.0/24"), [IPv4Network("10.44.10.0/24")])
        self.assertEqual((str(left.spans[0].first), len(left)), ("10.44.10.1", 254))
        self.assertEqual(len(scannable(parse("10.44.10.0/31"), [IPv4Network("10.44.10.0/31")])), 2)

    def test_durations_in_words(self) -> None:
        self.assertEqual(
            [duration(s) for s in (0.2, 45, 600, 7500, 200_000)], ["1 s", "45 s", "10 min", "2 h 5 min", "2 days 7 h"]
        )


class Choosing(unittest.TestCase):
    def adapter(self, name: str, address: str, *, gateway: bool = False, up: bool = True) -> Adapter:
        hop = IPv4Address("10.44.10.1") if gateway else None
        return Adapter(name, Mac(MacNumber(2)), (IPv4Interface(address),), up=up, gateway=hop)

    def setUp(self) -> None:
        self.adapters = [
            self.adapter("stage0", "10.44.20.20/24"), self.adapter("office0", "10.44.10.20/24", gateway=True),
            self.adapter("spare0", "10.44.30.20/24", up=False),
        ]  # fmt: skip

    def test_the_adapter_in_the_subnet_of_the_range_is_used(self) -> None:
        choice = choose(self.adapters, parse("10.44.20.0/24"), None)
        self.assertEqual(choice.adapter.name, "stage0")
        self.assertIn("stands in the subnet", choice.reason)

    def test_otherwise_the_one_with_the_default_route_and_it_says_so(self) -> None:
        choice = choose(self.adapters, parse("10.44.99.0/24"), None)
        self.assertEqual(choice.adapter.name, "office0")
        self.assertIn("default route", choice.reason)

    def test_equals_are_never_chosen_between_silently(self) -> None:
        twins = [self.adapter("a0", "10.44.20.20/24"), self.adapter("b0", "10.44.20.21/24")]
        self.assertIn("b0 would do as well", choose(twins, parse("10.44.20.0/24"), None).reason)
        self.assertIn("the others: b0", choose(twins, None, None).reason)

    def test_an_unknown_or_useless_adapter_is_refused_with_the_choices(self) -> None:
        with self.assertRaisesRegex(AdapterError, "there are: stage0, office0"):
            choose(self.adapters, None, "eth9")
        with self.assertRaisesRegex(AdapterError, "is down"):
            choose(self.adapters, None, "spare0")
        with self.assertRaisesRegex(AdapterError, "plug in a cable"):
            choose([], None, None)


if __name__ == "__main__":
    unittest.main()
