"""Each rule on its own, by what it opens on and what it stays quiet about; the engine's turns; forecasts, offers, times."""

from __future__ import annotations

import unittest
from collections import Counter
from dataclasses import replace
from datetime import UTC, datetime
from ipaddress import IPv4Address, IPv4Network

from even_roster.core.absence import Reason
from even_roster.core.address import Address
from even_roster.core.findings import hearing, rules_dhcp
from even_roster.core.findings.engine import BY_KIND, RULES, Acceptance, Engine, Finding, Turn
from even_roster.core.findings.facts import Drift, KnownDevice, Limits, Link, PlannedServer, PoolSeen
from even_roster.core.findings.forecast import PoolUse, days_until_full
from even_roster.core.findings.forgetting import forget_old
from even_roster.core.findings.model import DAY, HOUR, MINUTE, SECOND, State
from even_roster.core.findings.names_told import MOST_HEARD
from even_roster.core.findings.offers import Offer, compare
from even_roster.core.findings.servers import MOST_NAMED
from even_roster.core.findings.world import World
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.moments import MomentError, parse
from even_roster.core.plan.following import Lease
from even_roster.core.plan.model import Assignment, AssignmentKind, Band, BandKind, Plan, Site, Subnet
from even_roster.core.span import SpanSet
from even_roster.core.stays import Source
from even_roster.core.why import Facts, PathWord, SeenBefore, reason
from tests.support.drawing import given, settings, st

BESIDE = "anything"

NOW = 1_800_000_000_000
A, B, C = MacNumber(0x02C010000001), MacNumber(0x02C010000002), MacNumber(0x02C010000003)
GATE = MacNumber(0x02C03E000001)


def ip(text: str) -> Address:
    return Address(int(IPv4Address(text)))


def static(
    identity: int, address: str, mac: MacNumber | None, name: str, role: str = "", kind: str = "static"
) -> Assignment:
    return Assignment(identity, 1, 1, ip(address), AssignmentKind(kind), mac, name, role)


def world(*items: Assignment, limits: Limits | None = None) -> World:
    """A subnet with a gateway, a pool .100-.149 of one server, and some assignments; everybody is on its link."""
    plan = Plan(
        [
            Site(1, "Hall", True), Subnet(1, 1, "Office", IPv4Network("10.44.10.0/24"), ip("10.44.10.1"), vlan=10),
            Band(1, 1, BandKind.POOL, ip("10.44.10.100"), ip("10.44.10.149"), server=9),
            static(1, "10.44.10.1", GATE, "gate", "network"), *items,
        ]
    )  # fmt: skip
    made = World(plan, 1, lambda mac: mac >> 40 & 0xF == 0xE, limits)
    made.links = {"office0": Link("office0", (IPv4Network("10.44.10.0/24"),), ip("10.44.10.1"), GATE)}
    made.dhcp.planned_servers = {9: PlannedServer(9, "ledger", (ip("10.44.10.2"),))}
    made.passed(NOW)
    return made


def see(made: World, address: str, mac: MacNumber, at: int = NOW, source: Source = Source.ARP) -> None:
    hearing.saw(made, ip(address), mac, at, source, "office0")
    made.devices.setdefault(mac, KnownDevice(mac & 0xFFFF, "", ""))


def offer(
    server: str, address: str = "10.44.10.120", gateway: str = "10.44.10.1", mask: str = "255.255.255.0"
) -> Offer:
    return Offer(
        ip(server),
        MacNumber(0x02C0EE000000 | ip(server) & 0xFF),
        0,
        ip(address),
        ip(mask),
        (ip(gateway),),
        (),
        "",
        (),
        3600,
    )


def kinds(made: World, at: int = NOW + 10 * MINUTE) -> list[str]:
    """What is open once everything has stood long enough."""
    engine = Engine()
    engine.begin_full(made)
    engine.settle(made, NOW)
    engine.begin_full(made)
    engine.settle(made, at)
    return sorted(kind for kind, _ in engine.standing)


def opened(made: World) -> list[Finding]:
    """The findings that stand once everything has stood long enough."""
    engine = Engine()
    engine.begin_full(made)
    engine.settle(made, made.now)
    return list(engine.standing.values())


def stood(made: World) -> list[Finding]:
    """The findings that stand after two minutes."""
    engine = Engine()
    for at in (made.now, made.now + 2 * MINUTE):
        engine.begin_full(made)
        engine.settle(made, at)
    return list(engine.standing.values())


def later(made: World) -> list[Finding]:
    """The findings that stand after a quarter of a minute."""
    engine = Engine()
    engine.begin_full(made)
    engine.settle(made, made.now)
    engine.settle(made, made.now + 15 * SECOND)
    return list(engine.standing.values())


class ManagedServers(unittest.TestCase):
    """What a managed DHCP server and the plan say of each other."""

    def drift(self, drift: Drift) -> dict[str, str]:
        """The kinds that a drift opens, with their first evidence."""
        made = world()
        made.dhcp.drifts = {9: drift}
        found = {rule.kind: rule.check(made, 9) for rule in rules_dhcp.RULES}
        return {kind: one.evidence[0].said for kind, one in found.items() if one is not None}  # type: ignore[union-attr]

    def test_what_is_lost_what_waits_and_who_else_publishes(self) -> None:
        self.assertEqual(self.drift(Drift()), {})
        self.assertEqual(self.drift(Drift(3, "add pool", NOW - DAY + MINUTE)), {}, "an hour's work in progress is none")
        self.assertEqual(
            self.drift(Drift(3, "add pool", NOW - DAY)),
            {"plan-unpublished": "3 changes wait to be published to ledger for more than a day"},
        )
        self.assertEqual(
            self.drift(Drift(1, "add pool", NOW - 2 * DAY, ("reservation x",))),
            {"published-lost": "ledger does not have the reservation x any more"},
            "what was lost is told as that",
        )
        self.assertEqual(
            self.drift(Drift(other="aa11")),
            {"two-rosters": "ledger bears the mark of the roster aa11, which is not this one"},
        )

    def test_many_lost_parts_are_counted(self) -> None:
        made = world()
        made.dhcp.drifts = {9: Drift(lost=tuple(f"pool {n}" for n in range(9)))}
        found = rules_dhcp.lost(made, 9)
        assert found is not None
        self.assertEqual((len(found.evidence), found.evidence[-1].said), (6, "4 more parts are gone"))
        made.dhcp.planned_servers = {}
        self.assertIsNone(rules_dhcp.lost(made, 9), "a server that is managed no more has none")


class Addresses(unittest.TestCase):
    def test_two_that_answer_one_question_are_a_duplicate_and_one_is_none(self) -> None:
        made = world(static(2, "10.44.10.20", A, "desk"))
        for mac in (A, B):
            see(made, "10.44.10.20", mac)
        self.assertEqual(made.questions.take(NOW), [ip("10.44.10.20")])
        made.confirmed_round(ip("10.44.10.20"), [A, B], NOW)
        self.assertEqual(kinds(made), ["duplicate-address"])
        made.confirmed_round(ip("10.44.10.20"), [A], NOW + SECOND)
        self.assertEqual(kinds(made), [], "B asked in vain is not there any more")

    def test_a_protocols_own_claim_licenses_nobody_but_known_members_are_quiet(self) -> None:
        """A virtual MAC or a VRRP advertisement is evidence, which anybody can forge; people say who is a member."""
        for macs, announced in (((A, MacNumber(0x00005E000107)), False), ((A, B), True)):
            made = world()
            if announced:
                for mac in macs:
                    hearing.announced(made, [ip("10.44.10.20")], mac, NOW)
            for mac in macs:
                see(made, "10.44.10.20", mac)
            made.confirmed_round(ip("10.44.10.20"), macs, NOW)
            self.assertIn("duplicate-address", kinds(made), macs)
            found = next(f for f in opened(made) if f.kind == "duplicate-address")
            self.assertIn("which anybody can", " ".join(e.said for e in found.evidence))
            self.assertIn("member", {step.action.value for step in found.steps})
            made.members = {ip("10.44.10.20"): set(macs)}
            self.assertNotIn("duplicate-address", kinds(made), "known members")
            see(made, "10.44.10.20", C)
            made.confirmed_round(ip("10.44.10.20"), [*macs, C], NOW)
            self.assertIn("duplicate-address", kinds(made), "a stranger beside them")

    def test_two_adapters_of_one_device_are_no_duplicate_but_told(self) -> None:
        made = world(static(2, "10.44.10.20", A, "desk"))
        for mac in (A, B):
            see(made, "10.44.10.20", mac)
        made.devices = {A: KnownDevice(1, "desk", ""), B: KnownDevice(1, "desk", "")}
        made.confirmed_round(ip("10.44.10.20"), [A, B], NOW)
        self.assertEqual(kinds(made), ["adapters-answer-for-each-other"])
        made.devices[B] = KnownDevice(2, "other", "")
        self.assertEqual(kinds(made), ["duplicate-address"], "not joined: two devices")

    def test_a_server_with_many_addresses_is_no_proxy_and_its_duplicate_is_found(self) -> None:
        made = world(*(static(n, f"10.44.10.{n}", A, f"site-{n}") for n in (20, 24, 28, 32, 36)))
        for n in (20, 24, 28, 32, 36):
            see(made, f"10.44.10.{n}", A)
        see(made, "10.44.10.24", B)
        made.confirmed_round(ip("10.44.10.24"), [A, B], NOW)
        self.assertEqual((kinds(made), made.proxy_suspects()), (["duplicate-address"], []), "all are planned for it")

    def test_another_device_on_our_own_address_is_told(self) -> None:
        made = world()
        made.own_addresses, made.own_macs = {ip("10.44.10.5")}, {C}
        see(made, "10.44.10.5", B, source=Source.OVERHEARD)
        self.assertEqual(made.questions.take(NOW), [ip("10.44.10.5")], "asked at once")
        made.confirmed_round(ip("10.44.10.5"), [B], NOW)
        (found,) = opened(made)
        self.assertEqual(
            (found.kind, found.evidence[0].said), ("duplicate-address", "10.44.10.5 is this machine's own address")
        )
        made.confirmed_round(ip("10.44.10.5"), [], NOW + SECOND)
        (found,) = opened(made)
        self.assertIn("was heard to claim it and does not answer there", found.evidence[1].said)
        made.confirmed_round(ip("10.44.10.5"), [], NOW + MINUTE)
        self.assertEqual(kinds(made), [], "nothing was heard of it for a while")

    def test_a_claim_is_asked_about_however_long_the_owner_was_silent(self) -> None:
        made = world(static(2, "10.44.10.20", A, "desk"))
        see(made, "10.44.10.20", A, NOW - 3 * DAY)
        see(made, "10.44.10.60", A, NOW - 20 * HOUR)
        for address in ("10.44.10.20", "10.44.10.60", "10.44.10.1"):
            see(made, address, B, source=Source.OVERHEARD)
        self.assertEqual(
            sorted(made.questions.take(NOW)), sorted(map(ip, ("10.44.10.20", "10.44.10.60", "10.44.10.1")))
        )
        see(made, "10.44.10.62", B, source=Source.OVERHEARD)
        see(made, "10.44.10.60", C, source=Source.OVERHEARD)
        self.assertEqual(
            made.questions.take(NOW + SECOND),
            [ip(f"10.44.10.{last}") for last in (1, 20, 60, 62)],
            "what contradicts is asked again, by whose address it is, and nothing waits for what contradicts nothing",
        )
        self.assertEqual(made.macs_at(ip("10.44.10.62")), [], "who was heard is not there")
        for _ in range(3):
            see(made, "10.44.10.62", B, NOW + MINUTE, source=Source.OVERHEARD)
        taken = made.questions.take(NOW + MINUTE)
        self.assertNotIn(ip("10.44.10.62"), taken, "it was asked a minute ago")
        self.assertEqual(made.questions.take(NOW + 2 * MINUTE), [], "and of the others nothing was heard any more")
        see(made, "10.44.10.62", B, NOW + HOUR, source=Source.OVERHEARD)
        self.assertEqual(made.questions.take(NOW + HOUR), [ip("10.44.10.62")])

    def test_taken_over_while_the_owner_is_silent(self) -> None:
        made = world()
        see(made, "10.44.10.60", A, NOW - 5 * HOUR)
        see(made, "10.44.10.60", B)
        made.confirmed_round(ip("10.44.10.60"), [B], NOW)
        (found,) = [f for f in opened(made) if f.kind == "address-taken-over"]
        self.assertIn("was held within the last day by", found.evidence[1].said)
        see(made, "10.44.10.61", A)
        self.assertNotIn("address-taken-over", {f.kind for f in opened(made)}, "the old one only moved")
        see(made, "10.44.10.63", A, NOW - 5 * HOUR)
        see(made, "10.44.10.63", C, NOW - MINUTE)
        made.confirmed_round(ip("10.44.10.63"), [A], NOW)
        see(made, "10.44.10.63", A)
        self.assertNotIn(
            "address-taken-over", {f.kind for f in opened(made)}, "the guest is gone and the owner is there"
        )
        made.leased.at[ip("10.44.10.120")] = Lease(ip("10.44.10.120"), A, "", NOW + HOUR)
        see(made, "10.44.10.120", B)
        made.confirmed_round(ip("10.44.10.120"), [B], NOW)
        self.assertIn("address-taken-over", {f.kind for f in opened(made)}, "a running lease of another")

    def test_a_device_that_got_its_address_is_no_foreigner_any_more(self) -> None:
        made = world(static(2, "10.44.10.20", A, "light node"))
        hearing.heard(made, ip("192.168.200.10"), A, NOW - MINUTE, "office0")
        self.assertEqual(opened(made), [], "it is being asked")
        later = Engine()
        later.begin_full(made)
        later.settle(made, NOW)
        turns, _ = later.settle(made, NOW + 11 * SECOND)
        self.assertEqual([one.finding.kind for one in turns], ["foreign-address-heard"])
        made.saw(ip("192.168.200.10"), A, NOW - MINUTE, Source.ARP, "office0")
        self.assertEqual({f.kind for f in opened(made)}, {"foreign-address"}, "it answered there")
        see(made, "10.44.10.20", A)
        self.assertEqual(opened(made), [], "told within a moment, not after an hour")
        hearing.heard(made, ip("192.168.200.11"), A, NOW + SECOND, "office0")
        self.assertEqual(opened(made), [], "a frame in the name of a device that answers at its own address")
        made.saw(ip("192.168.200.11"), A, NOW + SECOND, Source.ARP, "office0")
        self.assertEqual({f.kind for f in opened(made)}, {"foreign-address"}, "it answers at both")

    def test_what_many_strangers_send_is_told_apiece_for_four_and_folded_for_the_rest(self) -> None:
        made = world()
        for number in range(1, 5):
            hearing.heard(made, ip(f"192.168.200.{number}"), MacNumber(A + number), NOW, "office0")
        told = Counter(f.kind for f in later(made))
        self.assertEqual(told, {"foreign-address-heard": 4})
        for number in range(5, 40):
            hearing.heard(made, ip(f"192.168.200.{number}"), MacNumber(A + number), NOW, "office0")
        found = later(made)
        self.assertEqual(Counter(f.kind for f in found), {"foreign-address-heard": 4, "much-heard": 1})
        (folded,) = (f for f in found if f.kind == "much-heard")
        self.assertIn("more than 4 MACs on the link of office0", folded.evidence[0].said)
        for number in range(3, 30):  # one MAC as many addresses is one finding
            hearing.heard(made, ip(f"192.168.201.{number}"), MacNumber(A + 1), NOW + number, "office0")
        (one,) = (f for f in later(made) if str(Mac(MacNumber(A + 1))) in {s.value for s in f.subjects})
        self.assertRegex(one.evidence[0].said, r"was heard as .* and 25 more addresses on the link of office0")

    def test_who_came_back_with_another_mac_bears_its_old_name(self) -> None:
        made = world()
        for number, at in ((0, NOW - 40 * SECOND), (1, NOW)):
            see(made, f"10.44.10.{100 + number}", MacNumber(A + number), at)
            hearing.named(made, MacNumber(A + number), "phone", at, overheard=False)
        self.assertNotIn("shared-hostname", {f.kind for f in stood(made)})
        see(made, "10.44.10.100", MacNumber(A), made.now)
        self.assertIn(
            "shared-hostname", {f.kind for f in stood(made)}, "both are there: each answered after the other came"
        )

    def test_names_and_servers_that_were_only_heard_are_bounded_and_folded(self) -> None:
        made = world()
        for number in range(40):
            see(made, f"10.44.10.{100 + number}", MacNumber(A + number))
            hearing.named(made, MacNumber(A + number), f"till-{number // 2}", NOW, overheard=True)
        told = Counter(f.kind for f in stood(made) if f.kind in ("shared-hostname", "much-heard"))
        self.assertEqual(told, {"shared-hostname": 4, "much-heard": 1})
        for number in range(40):
            hearing.named(made, MacNumber(A + number), f"till-{number // 2}", NOW, overheard=False)
        told = Counter(f.kind for f in stood(made) if f.kind in ("shared-hostname", "much-heard"))
        self.assertEqual(told, {"shared-hostname": 20}, "they answered so")
        for number in range(0, 40, 2):  # joined in pairs: adapters of one device may bear its name
            one = made.devices[MacNumber(A + number)]
            made.devices[MacNumber(A + number + 1)] = one
        self.assertNotIn("shared-hostname", {f.kind for f in stood(made)})
        made.devices.clear()
        told = Counter(f.kind for f in stood(made) if f.kind == "shared-hostname")
        self.assertEqual(told, {"shared-hostname": 20}, "of MACs that are no devices each is its own")
        for number in range(40):
            made.devices[MacNumber(A + number)] = KnownDevice(number + 1, "", "")
        self.assertFalse(any(f.heard for f in stood(made) if f.kind == "shared-hostname"))

        for number in range(500):
            hearing.named(made, A, f"x{number}", NOW, overheard=True)
            hearing.named(made, MacNumber(0x0E0000000000 + number), "stranger", NOW, overheard=True)
        self.assertEqual(len(made.names.by_mac[A]), MOST_HEARD + 1, "the one that answered stays")
        self.assertNotIn("stranger", made.names.macs, "it has not answered")
        hearing.named(made, A, "later", NOW + DAY, overheard=True)
        self.assertTrue(made.names.bears(A, "later") and made.names.bears(A, "till-0"))
        self.assertEqual(len(made.names.by_mac[A]), MOST_HEARD + 1)

        for number in range(100, 140):
            made.dhcp.server_heard(1, offer(f"10.44.10.{number}", gateway="10.44.10.9"), NOW)
        told = Counter(f.kind for f in stood(made) if f.kind in ("unexpected-dhcp-server", "much-heard"))
        self.assertEqual(told, {"unexpected-dhcp-server": 4, "much-heard": 1})

    def test_no_forged_frame_takes_a_finding_from_what_answers(self) -> None:
        made = world()
        for minute in range(6):  # two devices answer for one address in turns
            see(made, "10.44.10.60", (A, B)[minute % 2], NOW + 3 * minute * MINUTE)
        made.passed(NOW + 20 * MINUTE)
        told = [f.kind for f in later(made) if f.kind == "hopping-address"]
        self.assertEqual(told, ["hopping-address"])
        for number in range(100, 120):  # somebody claims it and many others in turns
            for turn in range(8):
                at, mac = NOW + 20 * MINUTE + turn, MacNumber(0x0E0000000000 + number * 2 + turn % 2)
                hearing.heard(made, ip(f"10.44.10.{number}"), mac, at, "office0")
                hearing.heard(made, ip("10.44.10.60"), mac, at, "office0")
        found = [
            f for f in later(made) if f.kind == "hopping-address" and "10.44.10.60" in {s.value for s in f.subjects}
        ]
        self.assertEqual({s.value for s in found[0].subjects[1:]}, {str(Mac(A)), str(Mac(B))}, "those that answer")

    def test_strangers_that_stray_hide_no_device_that_does(self) -> None:
        made = world()
        for number in range(1, 100):
            for target in ("10.45.0.1", "10.45.0.2"):
                made.strayed(MacNumber(0x0E0000000000 + number), ip(target), NOW)
        see(made, "10.44.10.60", A)
        for target in ("10.45.0.1", "10.45.0.2"):
            made.strayed(A, ip(target), NOW)
        self.assertEqual([f.kind for f in later(made) if f.kind in ("wrong-mask", "much-heard")], ["wrong-mask"])
        for number in range(1, 12):
            mac = MacNumber(A + 100 + number)
            see(made, f"10.44.10.{100 + number}", mac)
            for target in ("10.45.0.1", "10.45.0.2"):
                made.strayed(mac, ip(target), NOW)
        told = Counter(f.kind for f in later(made) if f.kind in ("wrong-mask", "much-heard"))
        self.assertEqual(told, {"wrong-mask": 4, "much-heard": 1})

    def test_a_known_device_that_is_heard_on_another_link_is_no_foreigner(self) -> None:
        made = world()
        made.links["stage0"] = Link("stage0", (IPv4Network("10.44.20.0/24"),))
        made.saw(ip("10.44.10.60"), A, NOW, Source.ARP)  # as after a restart: the link is not known
        hearing.heard(made, ip("10.44.10.60"), A, NOW + 1, "stage0")
        self.assertEqual([f.kind for f in later(made) if f.kind.startswith("foreign")], [])

    def test_a_look_without_a_control_says_nothing(self) -> None:
        made = world(static(2, "10.44.10.20", A, "desk"))
        see(made, "10.44.10.20", A)
        see(made, "10.44.10.20", B)
        made.confirmed_round(ip("10.44.10.20"), [A, B], NOW)
        self.assertEqual(kinds(made), ["duplicate-address"])
        made.confirmed_round(ip("10.44.10.20"), [], NOW + MINUTE, controlled=False)
        self.assertEqual(kinds(made), ["duplicate-address"], "our own cable was pulled")
        made.looked(SpanSet.of([IPv4Network("10.44.10.0/24")]), NOW + 2 * MINUTE, controlled=False)
        self.assertTrue(made.present(ip("10.44.10.20"), A))

    def test_three_looks_over_a_quarter_of_an_hour_end_a_stay_and_one_does_not(self) -> None:
        made = world(static(2, "10.44.10.20", A, "desk"))
        see(made, "10.44.10.20", A)
        see(made, "10.44.10.21", B, source=Source.OVERHEARD)
        spans = SpanSet.of([IPv4Network("10.44.10.0/24")])
        for minute, there in ((5, True), (10, True), (15, True), (20, False)):
            made.passed(NOW + minute * MINUTE)
            made.looked(spans, NOW + minute * MINUTE)
            self.assertEqual(made.present(ip("10.44.10.20"), A), there, minute)
        self.assertFalse(made.present(ip("10.44.10.21"), B), "it never answered a question")
        began = NOW + 5 * MINUTE
        silence = made.take_silences()[ip("10.44.10.20"), A, began]
        self.assertEqual((silence.reason, silence.before, silence.after), (Reason.SILENT, NOW, 0))
        made.saw(ip("10.44.10.20"), A, NOW + 21 * MINUTE, Source.LEASE, None)
        self.assertFalse(made.present(ip("10.44.10.20"), A), "what is leased to it says nothing of whether it is there")
        see(made, "10.44.10.20", A, NOW + 22 * MINUTE)
        self.assertTrue(made.present(ip("10.44.10.20"), A))
        again = made.take_silences()[ip("10.44.10.20"), A, began]
        self.assertEqual(again.after, NOW + 22 * MINUTE, "and when it answered again is kept")

    def test_who_answers_elsewhere_has_moved(self) -> None:
        made = world()
        see(made, "10.44.10.60", A, NOW - HOUR)
        see(made, "10.44.10.61", A, NOW)
        made.looked(SpanSet.of([IPv4Network("10.44.10.0/24")]), NOW)
        self.assertEqual(made.holders[ip("10.44.10.60")][A].silence.reason, Reason.MOVED)

    def test_a_server_that_a_client_names_is_told_unconfirmed_and_withdrawn(self) -> None:
        made = world()
        self.assertTrue(made.dhcp.server_named(1, ip("10.44.10.9"), A, NOW))
        self.assertEqual((made.dhcp.in_question(), kinds(made, NOW)), ({1}, ["unexpected-dhcp-server"]))
        self.assertIn("named by a client, unconfirmed", opened(made)[0].evidence[0].said)
        self.assertFalse(made.dhcp.server_named(1, ip("10.44.10.2"), A, NOW), "the planned one")
        for _ in range(2):
            made.dhcp.asked(1, [offer("10.44.10.2")], NOW + SECOND)
        self.assertEqual((made.dhcp.in_question(), kinds(made, NOW)), (set(), []))
        self.assertFalse(made.dhcp.server_named(1, ip("10.44.10.9"), A, NOW + MINUTE), "not told again at once")
        made.dhcp.asked(1, [offer("10.44.10.9", gateway="10.44.10.9")], NOW + MINUTE)
        self.assertEqual(opened(made)[0].severity.value, "urgent", "an offer confirms it")

    def test_hopping_needs_a_way_back_and_both_there(self) -> None:
        made = world(static(2, "10.44.10.20", None, "shared"))
        made.devices = {A: KnownDevice(1, "left", ""), B: KnownDevice(2, "right", "")}
        for n, mac in enumerate((A, B, A, B, A)):
            see(made, "10.44.10.20", mac, NOW - 5 * MINUTE + n * SECOND)
        self.assertEqual(kinds(made), ["hopping-address"])
        once = world(static(2, "10.44.10.20", None, "shared"))
        once.devices = made.devices
        for n, mac in enumerate((A, B)):
            see(once, "10.44.10.20", mac, NOW - 5 * MINUTE + n * SECOND)
        self.assertEqual(kinds(once), [], "a device that was replaced once does not hop")
        fresh = world(static(2, "10.44.10.20", None, "shared"))
        fresh.devices = made.devices
        for n, mac in enumerate((A, B, A, B, A)):
            see(fresh, "10.44.10.20", mac, NOW + n * SECOND)
        self.assertEqual(kinds(fresh, NOW + 5 * SECOND), [], "it is being asked whether both are there")
        fresh.confirmed_round(ip("10.44.10.20"), [], NOW + 4 * SECOND)
        self.assertEqual(
            kinds(fresh, NOW + 5 * SECOND),
            ["hopping-address"],
            "neither answers, as routers that only claim: they take turns",
        )
        fresh.confirmed_round(ip("10.44.10.20"), [A, B], NOW + 5 * SECOND)
        self.assertEqual(kinds(fresh, NOW + 6 * SECOND), ["duplicate-address"])

    def test_the_gateway_has_its_own_finding(self) -> None:
        made = world()
        see(made, "10.44.10.1", GATE)
        see(made, "10.44.10.1", B)
        made.confirmed_round(ip("10.44.10.1"), [GATE, B], NOW)
        self.assertEqual(kinds(made, NOW + MINUTE), ["gateway-changed"])
        made.confirmed_round(ip("10.44.10.1"), [GATE], NOW + MINUTE)
        self.assertEqual(kinds(made, NOW + 2 * MINUTE), [])

    def test_a_pool_address_without_a_lease_and_with_one(self) -> None:
        made = world()
        see(made, "10.44.10.110", A, NOW - HOUR)
        see(made, "10.44.10.110", A)
        made.devices[A] = KnownDevice(1, "till", "")
        self.assertEqual(kinds(made), [], "nobody knows the leases")
        made.leased.told(9, [], NOW)
        self.assertEqual(kinds(made), ["static-in-pool"])
        made.leased.told(9, [Lease(ip("10.44.10.110"), A, "till", NOW + DAY)], NOW)
        self.assertEqual(kinds(made), [])

    def test_unplanned_foreign_and_self_assigned(self) -> None:
        made = world()
        see(made, "10.44.10.30", A)
        see(made, "192.168.1.10", B)
        see(made, "169.254.7.7", C)
        self.assertEqual(kinds(made), ["foreign-address", "self-assigned-address", "unplanned-address"])
        see(made, "10.44.10.31", C)
        self.assertNotIn("self-assigned-address", kinds(made), "it has a proper address too")

    def test_a_proxy_is_no_duplicate_and_many_own_addresses_are_no_proxy(self) -> None:
        made = world(static(2, "10.44.10.200", A, "desk"), static(3, "10.44.10.4", B, "annex"))
        for last in (4, *range(200, 206)):
            see(made, f"10.44.10.{last}", B)
        see(made, "10.44.10.200", A)
        made.confirmed_round(ip("10.44.10.200"), [A, B], NOW)
        self.assertIn("duplicate-address", kinds(made), "many addresses alone prove nothing")
        ((mac, asked),) = made.proxy_suspects()
        self.assertEqual(
            (mac, asked), (B, [ip(f"10.44.10.{last}") for last in range(201, 206)]), "where nobody else was"
        )
        self.assertEqual(made.proxy_suspects(), [], "and not again for an hour")
        made.proxy_answer(B, {}, made.now)
        self.assertEqual(made.proxy_suspects(), [])
        made.passed(made.now + MINUTE)
        self.assertEqual([mac for mac, _ in made.proxy_suspects()], [B], "nothing came back: it is asked again soon")
        made.proxy_answer(B, {asked[0]: False}, NOW)
        self.assertIn("duplicate-address", kinds(made), "it has them itself")
        made.proxy_answer(B, {asked[0]: True}, NOW)
        self.assertEqual(
            kinds(made), ["duplicate-address", "proxy-arp"], "nobody stands in for a device that is here itself"
        )
        own = world(*(static(10 + n, f"10.44.10.{10 + n}", B, f"web-{n}") for n in range(5)))
        for n in range(5):
            see(own, f"10.44.10.{10 + n}", B)
        self.assertEqual(kinds(own), [])


class AgainstThePlan(unittest.TestCase):
    def test_planned_here_seen_there_and_somebody_else_here(self) -> None:
        made = world(static(2, "10.44.10.20", A, "desk"))
        see(made, "10.44.10.77", A)
        self.assertEqual(kinds(made), [], "it may be at both: nobody asked at its own")
        self.assertEqual(made.questions.take(NOW), [ip("10.44.10.20")], "so it is asked for there at once")
        made.confirmed_round(ip("10.44.10.20"), [], NOW + SECOND)
        self.assertEqual(kinds(made), ["assignment-not-in-effect"], "and its place is no second finding")
        both = world(static(2, "10.44.10.20", A, "desk"))
        see(both, "10.44.10.77", A)
        both.confirmed_round(ip("10.44.10.20"), [A], NOW + SECOND)
        see(both, "10.44.10.20", A, NOW + SECOND)
        self.assertEqual(kinds(both), [])
        scanned = world(static(2, "10.44.10.20", A, "desk"))
        see(scanned, "10.44.10.77", A, NOW + SECOND)
        scanned.looked(SpanSet.of([IPv4Network("10.44.10.0/24")]), NOW)
        self.assertEqual(
            kinds(scanned), ["assignment-not-in-effect"], "the look that found it there asked at its own too"
        )
        taken = world(static(2, "10.44.10.20", A, "desk"))
        see(taken, "10.44.10.20", B)
        self.assertEqual(kinds(taken), ["assignment-not-in-effect"])
        joined = world(static(2, "10.44.10.20", A, "desk"))
        joined.devices = {A: KnownDevice(5, "desk", ""), B: KnownDevice(5, "desk", "")}
        see(joined, "10.44.10.20", B)
        self.assertEqual(kinds(joined), [], "two adapters of one device")

    def test_reservations(self) -> None:
        reserved = static(2, "10.44.10.120", A, "laptop", "portable", "reserved")
        made = world(reserved)
        made.published = {ip("10.44.10.120"): {A}}
        made.leased.told(9, [Lease(ip("10.44.10.105"), A, "laptop", NOW + DAY)], NOW)
        see(made, "10.44.10.105", A)
        self.assertEqual(kinds(made), ["reservation-waiting"])
        made.leased.told(9, [Lease(ip("10.44.10.120"), A, "laptop", NOW + DAY)], NOW)
        self.assertEqual(kinds(made), [])
        made.refusals = {ip("10.44.10.120"): "the server says no"}
        self.assertEqual(kinds(made), ["reservation-refused"])
        absent = world(reserved)
        absent.published = {ip("10.44.10.120"): {A}}
        self.assertEqual(kinds(absent), [], "a device that is not there waits for nothing")
        strange = world(static(2, "10.44.10.120", MacNumber(0x0EC010000001), "phone", "", "reserved"))
        self.assertEqual(kinds(strange), ["randomised-reservation"])

    def test_two_servers_that_stand_in_for_each_other_lease_one_address(self) -> None:
        made, place = world(), ip("10.44.10.120")
        old, new = Lease(place, A, "laptop", NOW + HOUR), Lease(place, B, "till", NOW + DAY)
        for first, second in ((9, 10), (10, 9)):
            made.leased.told(first, [old], NOW)
            made.leased.told(second, [new], NOW)
            made.leased.told(first, [old], NOW + SECOND)
            self.assertEqual(made.leased.active(place), new, "one of them is behind: what runs longest counts")
            self.assertEqual((made.leased.of_mac[A], made.leased.of_mac[B]), (set(), {place}))
            made.leased.told(second, [], NOW + SECOND)
            self.assertEqual(made.leased.active(place), old)
            made.leased.told(first, [], NOW + SECOND)
            self.assertIsNone(made.leased.active(place))

    def test_what_a_server_leases_is_unknown_when_it_cannot_be_read(self) -> None:
        made = world()
        made.devices = {A: KnownDevice(5, "desk", ""), B: KnownDevice(6, "till", "")}
        made.leased.told(9, [], NOW)
        see(made, "10.44.10.120", A, NOW - HOUR)
        see(made, "10.44.10.120", A, NOW)
        self.assertEqual(kinds(made), ["static-in-pool"])
        made.passed(NOW + 2 * HOUR)
        see(made, "10.44.10.121", B, NOW + HOUR)
        see(made, "10.44.10.121", B, NOW + 2 * HOUR)
        self.assertEqual(kinds(made), [], "two hours without a word of the server: it may have leased it since")

    def test_missing_and_stale_need_a_look(self) -> None:
        made = world(
            static(2, "10.44.10.20", A, "desk"), static(3, "10.44.10.120", B, "laptop", "portable", "reserved")
        )
        see(made, "10.44.10.20", A, NOW - 8 * DAY)
        see(made, "10.44.10.120", B, NOW - 89 * DAY)
        self.assertEqual(kinds(made), [], "nobody looked")
        made.limits = Limits(stale_days=80)
        made.looked(SpanSet.of([IPv4Network("10.44.10.0/24")]), NOW - HOUR)
        self.assertEqual(kinds(made), ["missing-device", "stale-reservation"])

    def test_what_is_long_gone_is_forgotten_unless_it_is_planned(self) -> None:
        made = world(static(2, "10.44.10.120", B, "laptop", "portable", "reserved"))
        see(made, "10.44.10.111", A, NOW - 91 * DAY)
        see(made, "10.44.10.105", B, NOW - 91 * DAY)
        see(made, "10.44.10.112", C)
        self.assertEqual(forget_old(made), 1)
        self.assertEqual((set(made.places), set(made.holders)), ({B, C}, {ip("10.44.10.105"), ip("10.44.10.112")}))
        made.looked(SpanSet.of([IPv4Network("10.44.10.0/24")]), NOW - HOUR)
        self.assertIn("stale-reservation", kinds(made))

    def test_roles_names_and_strangers(self) -> None:
        made = world(static(2, "10.44.10.20", C, "files"))
        see(made, "10.44.10.110", A)
        made.leased.told(
            9, [Lease(ip("10.44.10.110"), A, "", NOW + DAY), Lease(ip("10.44.10.111"), B, "", NOW + DAY)], NOW
        )
        made.devices[A] = KnownDevice(1, "point", "wireless")
        see(made, "10.44.10.111", B)
        see(made, "10.44.10.20", C)
        made.devices[C] = KnownDevice(3, "", "")
        made.reverse_name(ip("10.44.10.20"), "old-name.larkspur.example", NOW)
        self.assertEqual(kinds(made), ["name-disagrees", "role-on-pool", "unknown-device"])
        made.told(B, "laptop.local", NOW)
        made.told(C, "laptop", NOW)
        self.assertEqual(
            kinds(made), ["name-disagrees", "role-on-pool", "shared-hostname"], "it told a name, but not its own alone"
        )
        made.strangers = {1: "all"}
        self.assertIn("unknown-device", kinds(made))
        made.strangers = {1: "none"}
        self.assertNotIn("unknown-device", kinds(made))

    def test_pools_that_fill_up(self) -> None:
        made = world()
        made.pools = {1: PoolSeen(46, 50)}
        self.assertEqual(kinds(made), ["pool-nearly-full"])
        rising = [PoolUse(NOW - (10 - day) * DAY, 30 + day, 50) for day in range(10)]
        made.pools = {1: PoolSeen(39, 50, rising)}
        days = days_until_full(rising, NOW)
        assert days is not None
        self.assertAlmostEqual(days, 10, delta=1.5)
        self.assertEqual(kinds(made), [], "ten days are time enough")
        steep = [PoolUse(NOW - (10 - day) * DAY, 20 + 2 * day, 50) for day in range(10)]
        made.pools = {1: PoolSeen(38, 50, steep)}
        self.assertEqual(kinds(made), ["pool-nearly-full"])
        self.assertIsNone(days_until_full([PoolUse(NOW - d * DAY, 20, 50) for d in range(20)], NOW))


class Servers(unittest.TestCase):
    def test_expected_unexpected_learnt_and_silent(self) -> None:
        made = world()
        made.dhcp.asked(1, [offer("10.44.10.2")], NOW)
        self.assertEqual(kinds(made), [])
        made.dhcp.asked(1, [offer("10.44.10.2"), offer("10.44.10.9", gateway="10.44.10.9")], NOW)
        self.assertEqual(kinds(made), ["unexpected-dhcp-server"])
        self.assertEqual(self.called(made), "Office")
        made.plan.subnets[1] = replace(made.plan.subnets[1], name="")
        self.assertEqual(self.called(made), "10.44.10.0/24", "without a name it is told by its range")
        for _ in range(2):
            made.dhcp.asked(1, [offer("10.44.10.2")], NOW)
        self.assertEqual(kinds(made), [], "two questions without it and it is gone")
        for _ in range(2):
            made.dhcp.asked(1, [], NOW)
        self.assertEqual(kinds(made), ["no-dhcp-server"])

    def test_another_server_of_the_site_may_stand_in_as_long_as_it_offers_as_planned(self) -> None:
        made = world()
        deputy = PlannedServer(8, "deputy", (ip("10.44.10.3"),))
        made.dhcp.asked(1, [offer("10.44.10.3")], NOW)
        self.assertEqual(made.dhcp.unexpected(1, ip("10.44.10.3")), [], "nobody knows it, though it offers as planned")
        made.dhcp.planned_servers = {**made.dhcp.planned_servers, 8: deputy}
        self.assertIsNone(made.dhcp.unexpected(1, ip("10.44.10.3")))
        made.dhcp.asked(1, [offer("10.44.10.3", gateway="10.44.10.9")], NOW)
        self.assertIn("10.44.10.9", " ".join(made.dhcp.unexpected(1, ip("10.44.10.3")) or []))

    def called(self, made: World) -> str:
        """What the only finding, about a server, calls its subnet."""
        (found,) = opened(made)
        self.assertIn(f"offers addresses in {found.subjects[-1].value}", found.evidence[0].said)
        return found.subjects[-1].value

    def test_a_server_whose_address_is_not_known_is_learnt_only_when_it_offers_as_planned(self) -> None:
        made = world()
        made.dhcp.planned_servers = {9: PlannedServer(9, "ledger", ())}
        made.dhcp.asked(1, [offer("10.44.10.9", gateway="10.44.10.9")], NOW)
        self.assertEqual((kinds(made), list(made.dhcp.learn_servers(1))), (["unexpected-dhcp-server"], []))
        made.dhcp.asked(1, [offer("10.44.10.2")], NOW)
        self.assertEqual(list(made.dhcp.learn_servers(1)), [(9, ip("10.44.10.2"))])

    def test_what_was_only_overheard_teaches_nothing_hides_nothing_and_says_so(self) -> None:
        made = world()
        made.dhcp.planned_servers = {9: PlannedServer(9, "ledger", ())}
        made.dhcp.server_heard(1, offer("10.44.10.2"), NOW)
        self.assertEqual(list(made.dhcp.learn_servers(1)), [], "a forged offer is no server")
        made.dhcp.asked(1, [offer("10.44.10.2")], NOW)
        self.assertEqual(list(made.dhcp.learn_servers(1)), [(9, ip("10.44.10.2"))])

        made = world()
        wrong = offer("10.44.10.2", gateway="10.44.10.66")
        made.dhcp.asked(1, [wrong], NOW)
        (told,) = opened(made)
        self.assertEqual((told.kind, told.heard), ("offer-disagrees", False))
        made.dhcp.server_heard(1, offer("10.44.10.2"), NOW + 1)
        self.assertEqual([one.told for one in opened(made)], [told.told], "no frame takes its place")
        self.assertEqual(made.dhcp.in_question(), {1}, "it is asked again")
        made.dhcp.asked(1, [offer("10.44.10.2")], NOW + 2)
        self.assertEqual((kinds(made), made.dhcp.in_question()), ([], set()))
        made.dhcp.server_heard(1, wrong, NOW + 3)
        self.assertEqual((kinds(made), made.dhcp.in_question()), ([], {1}), "nor is it believed")

        made.dhcp.asked(1, [offer("10.44.10.2")], NOW + 4)
        made.dhcp.server_heard(1, offer("10.44.10.9", gateway="10.44.10.9"), NOW + 4)
        (rogue,) = opened(made)
        self.assertEqual((rogue.kind, rogue.heard), ("unexpected-dhcp-server", True))
        made.dhcp.asked(1, [offer("10.44.10.2"), offer("10.44.10.9", gateway="10.44.10.9")], NOW + 6)
        (rogue,) = opened(made)
        self.assertEqual((rogue.kind, rogue.heard), ("unexpected-dhcp-server", False), "it answered")
        for number in range(100, 200):
            made.dhcp.server_heard(1, offer(f"10.44.10.{number}"), NOW + 7)
        self.assertLessEqual(len(made.dhcp.servers[1]), MOST_NAMED + 2, "strangers cannot make more of them")

    def test_offers_against_the_plan(self) -> None:
        made = world()
        subnet = made.plan.subnets[1]
        self.assertEqual(compare(offer("10.44.10.2"), made.plan, 1, subnet), [])
        told = compare(offer("10.44.10.2", "10.44.10.60", "10.44.10.3", "255.255.0.0"), made.plan, 1, subnet)
        self.assertEqual(
            told,
            [
                "it offers 10.44.10.60, which lies in no pool of the plan",
                "it hands out the mask 255.255.0.0 where the plan has 255.255.255.0",
                "it hands out the gateway 10.44.10.3 where the plan has 10.44.10.1",
            ],
        )
        made.dhcp.asked(1, [offer("10.44.10.2", mask="255.255.0.0")], NOW)
        self.assertEqual(kinds(made), ["offer-disagrees", "wrong-mask-offered"])

    def test_a_wrong_mask_shows_in_what_a_device_asks_and_broadcasts(self) -> None:
        made = world(static(2, "10.44.10.20", A, "desk"))
        see(made, "10.44.10.20", A)
        made.strayed(A, ip("10.44.20.5"), NOW)
        self.assertEqual(kinds(made), [], "one question may be a slip")
        made.strayed(A, ip("10.44.20.6"), NOW)
        self.assertEqual(kinds(made), ["wrong-mask"])
        other = world(static(2, "10.44.10.20", A, "desk"))
        see(other, "10.44.10.20", A)
        other.strayed(A, ip("10.44.255.255"), NOW, broadcast=True)
        self.assertEqual(kinds(other), ["wrong-mask"])

    def test_a_storm_is_told(self) -> None:
        made = world()
        made.storms["office0"] = (NOW, 40_000)
        self.assertEqual(kinds(made, NOW + MINUTE), ["frame-storm"])
        self.assertEqual(kinds(made, NOW + 3 * MINUTE), [])


class Turns(unittest.TestCase):
    """The engine: opened, updated, closed by itself, reopened with memory, accepted."""

    def setUp(self) -> None:
        self.world = world(static(2, "10.44.10.20", A, "desk"))
        self.engine = Engine()
        self.name = ("duplicate-address", str(ip("10.44.10.20")))

    def settle(self, *macs: MacNumber, at: int) -> list[Turn]:
        for mac in macs:
            see(self.world, "10.44.10.20", mac, at)
        self.world.confirmed_round(ip("10.44.10.20"), macs, at)
        return [one.turn for one in self.engine.settle(self.world, at)[0] if one.finding.name == self.name]

    def test_a_life(self) -> None:
        self.assertEqual(self.settle(A, B, at=NOW), [Turn.OPENED])
        self.assertEqual(self.settle(A, B, at=NOW + 1000), [], "time alone is no news")
        self.assertEqual(self.settle(A, B, C, at=NOW + 2000), [Turn.UPDATED])
        self.assertEqual(self.settle(A, at=NOW + 3000), [], "it lingers")
        self.assertEqual(self.settle(A, at=NOW + 9000), [Turn.CLOSED])
        self.assertEqual(self.settle(A, B, at=NOW + 20_000), [Turn.REOPENED])
        finding = self.engine.standing[self.name]
        self.assertEqual((finding.times, finding.first, finding.since), (2, NOW, NOW + 20_000))

    def test_an_accepted_finding_stands_quietly_until_its_end(self) -> None:
        self.engine.exceptions[self.name] = Acceptance("two heads of one desk", "keeper", NOW, NOW + HOUR)
        self.assertEqual(self.settle(A, B, at=NOW), [Turn.OPENED])
        self.assertEqual(self.engine.standing[self.name].state, State.ACCEPTED)
        self.assertEqual(self.settle(A, B, at=NOW + HOUR), [Turn.RESUMED])
        self.assertEqual(self.engine.standing[self.name].state, State.OPEN)

    def test_a_restart_goes_on_where_it_was(self) -> None:
        self.settle(A, B, at=NOW)
        again = Engine(self.engine.standing.values())
        again.begin_full(self.world)
        self.assertEqual(again.settle(self.world, NOW + 5000)[0], [], "what still stands is no news")
        empty = world()
        again.begin_full(empty)
        again.settle(empty, NOW + 6000)
        self.assertEqual(again.settle(empty, NOW + MINUTE)[0], [], "nobody was asked yet: it may well be so still")
        empty.confirmed_round(ip("10.44.10.20"), [A], NOW + MINUTE)
        self.assertEqual([t.turn for t in again.settle(empty, NOW + MINUTE)[0]], [Turn.CLOSED])

    def test_every_rule_says_what_it_means(self) -> None:
        self.assertEqual(len(BY_KIND), len(RULES))
        for rule in RULES:
            self.assertTrue(rule.title and rule.means and not rule.means.endswith("."), rule.kind)

    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.tuples(st.integers(1, 254), st.sampled_from([A, B, C, GATE]), st.integers(0, 600)), max_size=30))
    def test_any_order_of_sightings_ends_in_the_same_findings(self, seen: list[tuple[int, int, int]]) -> None:
        def open_after(order: list[tuple[int, int, int]], every: bool) -> list[tuple[str, str]]:
            made, engine = world(static(2, "10.44.10.20", A, "desk")), Engine()
            for host, mac, second in order:
                see(made, f"10.44.10.{host}", MacNumber(mac), NOW + second * SECOND)
                if every:
                    engine.settle(made, NOW)
            engine.begin_full(made)
            engine.settle(made, NOW + 600 * SECOND)
            engine.begin_full(made)
            engine.settle(made, NOW + 900 * SECOND)
            return sorted(name for name in engine.standing if name[0] not in until_asked)

        # These stand, once opened, until an address is asked, which happens to none here.
        until_asked = ("hopping-address", "gateway-changed", "assignment-not-in-effect")

        self.assertEqual(open_after(seen, False), open_after(sorted(seen, key=lambda one: one[2]), True))


class Times(unittest.TestCase):
    def test_times_as_people_write_them(self) -> None:
        now = datetime(2026, 11, 25, 10, 30, tzinfo=UTC)  # a Wednesday
        for text, told in {
            "now": "2026-11-25 10:30", "9:15": "2026-11-25 09:15", "14:05": "2026-11-24 14:05", "yesterday 14:05": "2026-11-24 14:05",
            "tuesday 14:05": "2026-11-24 14:05", "last tuesday 14:05": "2026-11-24 14:05", "wed 14:05": "2026-11-18 14:05",
            "2 hours ago": "2026-11-25 08:30", "90 min": "2026-11-25 09:00", "2026-03-01": "2026-03-01 00:00",
            "2026-03-01 14:05": "2026-03-01 14:05", "2026-03-01T14:05": "2026-03-01 14:05", "3d": "2026-11-22 10:30",
            "2026-12-24": "2026-12-24 00:00", "today": "2026-11-25 00:00",
        }.items():  # fmt: skip
            self.assertEqual(parse(text, now).strftime("%Y-%m-%d %H:%M"), told, text)
        for text in ("", "someday", "25:00", "2026-13-01", "14:75", "tomorrow-ish", "2026-03-01T99"):
            with self.assertRaisesRegex(MomentError, "write it as|calendar"):
                parse(text, now)


class WhySilent(unittest.TestCase):
    def facts(self, **given: object) -> Facts:
        made = world(static(2, "10.44.10.20", A, "desk"))
        usual: dict[str, object] = {
            "address": ip("10.44.10.20"), "now": NOW, "adapter": "office0", "why_adapter": "office0 stands there",
            "onlink": True, "own": False, "elsewhere": "", "usable": True, "subnet": made.plan.subnets[1], "band": None,
            "assignment": made.plan.assignments[2], "arp": (), "echo": False, "ports": (), "asked_ports": 7,
            "gateway": None, "others_answer": 3,
        }  # fmt: skip
        return Facts(**{**usual, **given})  # type: ignore[arg-type]

    def test_what_routers_and_firewalls_say_is_told_with_who_said_it(self) -> None:
        gate = ip("10.44.10.1")
        for kind, code, words in (
            (3, 0, "gate (10.44.10.1) knows no way to its network"), (3, 1, "finds nobody there: the device is off"),
            (3, 13, "A firewall on the way forbids it: gate (10.44.10.1)"), (3, 10, "forbids it"), (11, 0, "go round in a circle near gate"),
            (3, 4, "too large for the way"), (3, 99, "ICMP code 99"),
        ):  # fmt: skip
            told = reason(self.facts(onlink=False, arp=None, gateway=True, words=(PathWord(gate, "gate", kind, code),)))
            self.assertIn(words, told.verdict, (kind, code))
            self.assertEqual([c.word for c in told.checks if c.what == "on the way"], ["bad"])
        told = reason(self.facts(onlink=False, arp=None, gateway=True, words=(PathWord(gate, "", 3, 1),)))
        self.assertTrue(told.verdict.startswith("10.44.10.1, the last router"))

    def test_a_slow_answer_and_a_refusal_are_answers(self) -> None:
        slow = reason(self.facts(arp=(A,), echo=True, slowest=1.44))
        self.assertEqual((slow.answers, slow.verdict.split(":")[0]), (True, "It answers, but slowly, after 1.4 s"))
        edge = reason(self.facts(arp=(A,), echo=True, slowest=1.0))
        self.assertIn("answers, but slowly", edge.verdict, "programs that wait a second have given up by then")
        quick = reason(self.facts(arp=(A,), echo=True, slowest=0.02))
        self.assertEqual(quick.verdict, "It answers.")
        refused = reason(self.facts(onlink=False, arp=None, gateway=True, refused=(80, 443)))
        self.assertTrue(refused.answers)
        self.assertIn("refuses what was tried", refused.verdict)

    def test_verdicts_in_order_of_likelihood(self) -> None:
        seen = (SeenBefore(A, "desk", NOW - HOUR),)
        for known, words in (
            ({"adapter": None}, "no adapter that is up"), ({"own": True}, "own address"), ({"usable": False}, "No device can have"),
            ({"arp": (A,), "echo": True}, "It answers."), ({"arp": (A,)}, "drops echo"), ({"arp": (A, B)}, "two devices answer"),
            ({"arp": (B,), "echo": True}, "Another device"), ({"elsewhere": "other"}, "another network"),
            ({"moved_to": ((ip("10.44.10.99"), NOW - 1),)}, "10.44.10.99 instead"), ({"others_answer": 0}, "this machine's cable"),
            ({"onlink": False, "arp": None, "gateway": False}, "gateway does not answer"),
            ({"stays": seen}, "switched off, asleep or unplugged"), ({}, "never seen in use"),
            ({"stays": (SeenBefore(A, "desk", NOW - 9 * SECOND),)}, "It was there 9 seconds ago and does not answer just now"),
        ):  # fmt: skip
            told = reason(self.facts(**known))
            self.assertIn(words, told.verdict, known)
        silent = reason(self.facts(stays=seen))
        self.assertFalse(silent.answers)
        self.assertIn("Are the settings of its card really in it, saved and applied?", silent.by_hand)
        self.assertEqual(silent.checks[0].what, "adapter")
        past = reason(
            self.facts(stays=seen, lease_to=A, lease_name="desk", lease_until=NOW - 2 * HOUR, dhcp_silent=True)
        )
        self.assertEqual(
            [(one.what, one.found, one.word.value) for one in past.checks[-3:]],
            [
                ("lease", "the lease of desk ended 2 hours ago", "bad"),
                ("DHCP", "no DHCP server answered the last questions", "bad"),
                ("last stay", "desk, last seen 1 hour ago", "open"),
            ],
        )
        leased = reason(self.facts(lease_to=A, lease_until=NOW + 3 * HOUR)).checks[-2]
        self.assertEqual(leased.found, f"leased to {Mac(A)} for another 3 hours")
        moved = reason(self.facts(moved_to=((ip("10.44.10.99"), NOW - 5 * HOUR),)))
        self.assertIn("its device was seen at 10.44.10.99 5 hours ago", [one.found for one in moved.checks])
        moved = reason(self.facts(moved_to=((ip("10.44.10.99"), NOW - 1),)))
        self.assertEqual(len(moved.by_hand), 1, "what is known need not be looked at")


if __name__ == "__main__":
    unittest.main()
