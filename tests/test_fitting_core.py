"""What moves a fitting: sights, looks, settings that betray themselves; names by a pattern, kinds, BOOTP and magic packets; the hunt."""

from __future__ import annotations

import contextlib
import json
import shutil
import subprocess
import tempfile
import unittest
from ipaddress import IPv4Address, IPv4Interface, IPv4Network
from pathlib import Path

from even_roster.core.address import Address, address_of
from even_roster.core.cards import Card
from even_roster.core.findings.engine import Engine
from even_roster.core.findings.facts import Link
from even_roster.core.findings.fittings import Idle
from even_roster.core.findings.model import About
from even_roster.core.findings.world import World
from even_roster.core.fitting import kinds, words
from even_roster.core.fitting.kinds import Comes, Field, Kind, KindError, checked, mac_in, read, written
from even_roster.core.fitting.lending import to_try
from even_roster.core.fitting.naming import PatternError, names
from even_roster.core.fitting.progress import (
    Look,
    Means,
    Progress,
    Sight,
    Sign,
    Step,
    as_json,
    asked_for,
    betrayed,
    from_json,
    looked,
    showed,
    step_of,
)
from even_roster.core.fitting.words import Fitted
from even_roster.core.mac import BROADCAST, Mac
from even_roster.core.plan.model import Plan
from even_roster.core.stays import Source
from even_roster.probe.answering import AnswerEngine, Given
from even_roster.probe.seek_engine import LISTEN, Done, SeekEngine, Shown, Sought
from even_roster.wire import arp, bootp, dhcp, ethernet, ipv4, wake
from even_roster.wire.errors import WireError
from tests.support.drawing import given, st
from tests.support.patience import PATIENCE

BESIDE = "anything"

MINE, OTHER = Mac.parse("02:c0:44:0c:00:01"), Mac.parse("02:c0:44:0c:00:09")
OWN = Mac.parse("02:c0:9f:40:00:01")


def address(text: str) -> Address:
    return address_of(IPv4Address(text))


NEW, FACTORY = address("10.44.10.35"), address("192.168.50.10")


class Story:
    """A device that is being fitted, told what happens second by second."""

    def __init__(self) -> None:
        self.now, self.progress, self.notes = 0, Progress(), list[str]()

    def shows(self, where: int, means: Means = Means.ANSWER, asks: bool = True) -> Step:
        self.now += 1000
        told = showed(self.progress, Sight("office0", Address(where), self.now, means), NEW, asks)
        self.progress = told.progress
        self.notes += [said for _, said in told.notes]
        return self.step

    def look(self, *answers: tuple[int, Mac], counts: bool = True) -> Step:
        self.now += 1000
        found: dict[Address, tuple[int, ...]] = {NEW: ()}
        for where, mac in answers:
            found[Address(where)] = (*found.get(Address(where), ()), mac.value)
        told = looked(self.progress, MINE.value, NEW, Look("office0", self.now, found, counts))  # type: ignore[arg-type]
        self.progress = told.progress
        self.notes += [said for _, said in told.notes]
        return self.step

    @property
    def step(self) -> Step:
        self.progress = from_json(json.loads(json.dumps(as_json(self.progress))))  # it may be killed at any moment
        return step_of(MINE.value, NEW, self.progress)


class Moves(unittest.TestCase):
    def test_from_the_carton_to_proven_in_place(self) -> None:
        story = Story()
        self.assertEqual(story.step, Step.FIND)
        self.assertEqual(story.shows(FACTORY, Means.ARP), Step.FIND, "a frame is hearsay")
        self.assertEqual(story.shows(FACTORY), Step.TYPE)
        self.assertEqual(story.look((FACTORY, MINE)), Step.TYPE)
        self.assertEqual(story.shows(NEW), Step.SEE)
        self.assertEqual(story.look((NEW, MINE), (FACTORY, MINE)), Step.SEE)
        self.assertIn("and still at 192.168.50.10", story.progress.against)
        self.assertEqual(story.look((NEW, MINE)), Step.KEEP)
        self.assertEqual(story.look((NEW, MINE)), Step.KEEP, "it must go before it can come back")
        self.assertEqual(story.look(), Step.KEEP)
        self.assertIsNone(story.progress.went, "one answer may be lost")
        story.look()
        self.assertEqual(story.look((NEW, MINE)), Step.RECORD)
        self.assertEqual(story.notes[-2:], ["it went: nothing answers", "it came back at 10.44.10.35 after 1 s"])

    def test_somebody_else_at_the_new_address_is_told_and_nothing_passes(self) -> None:
        story = Story()
        story.shows(NEW)
        self.assertEqual(story.look((NEW, OTHER)), Step.SEE)
        self.assertIn("which is not this device", story.progress.against)
        self.assertEqual(story.look((NEW, MINE), (NEW, OTHER)), Step.SEE)
        self.assertIn(f"{OTHER} answers at 10.44.10.35 as well", story.progress.against)
        self.assertEqual(story.look((NEW, MINE)), Step.KEEP)
        self.assertEqual(story.look((NEW, MINE), (NEW, OTHER)), Step.KEEP)
        self.assertIn("as well", story.progress.against, "also when it comes later")
        story.look((NEW, MINE))
        self.assertEqual(story.progress.against, "")

    def test_settings_that_were_typed_in_but_not_stored(self) -> None:
        story = Story()
        story.shows(FACTORY), story.shows(NEW), story.look((NEW, MINE)), story.look(), story.look()
        self.assertEqual(story.shows(FACTORY), Step.TYPE)
        self.assertEqual(story.progress.against, "back at 192.168.50.10 on office0: typed in but not stored")
        story.look((FACTORY, MINE))
        self.assertIn("typed in but not stored", story.progress.against, "it stays told until something changes")
        story.shows(NEW), story.look((NEW, MINE))
        self.assertEqual((story.step, story.progress.against), (Step.KEEP, ""))

    def test_a_question_for_an_address_is_hearsay_until_a_look_finds_nobody(self) -> None:
        story = Story()
        story.shows(NEW)
        self.assertEqual(story.look((NEW, MINE)), Step.KEEP)
        self.assertEqual(story.shows(0, Means.DHCP, asks=False), Step.KEEP, "anybody could have forged it")
        self.assertEqual(story.look((NEW, MINE)), Step.KEEP, "it is there still")
        self.assertEqual(story.look(counts=True), Step.KEEP, "one answer may be lost")
        self.assertEqual(story.look((NEW, MINE)), Step.KEEP)
        story.shows(0, Means.DHCP, asks=False)
        self.assertEqual(story.look(counts=False), Step.KEEP, "nobody at all answers: that says nothing")
        self.assertEqual(story.look(counts=True), Step.REACH, "it asks for an address because it has none")
        self.assertIn("typed in but not stored", story.progress.against)

    def test_silence_where_nobody_at_all_answers_says_nothing(self) -> None:
        story = Story()
        story.shows(NEW), story.look((NEW, MINE))
        for _ in range(4):
            story.look(counts=False)
        self.assertIsNone(story.progress.went)
        self.assertIn("nobody at all answers", story.progress.against)

    def test_a_forged_frame_moves_nothing_that_was_proven(self) -> None:
        story = Story()
        story.shows(NEW), story.look((NEW, MINE))
        before = story.step
        story.shows(FACTORY, Means.ARP), story.shows(FACTORY, Means.FRAME)
        self.assertEqual((story.step, story.progress.against), (before, ""))

    def test_who_asks_for_an_address_and_gets_none_is_to_be_reached(self) -> None:
        story = Story()
        self.assertEqual(story.shows(0, Means.BOOTP), Step.REACH)
        fitted = Fitted(MINE.value, "rack", NEW, None, story.progress)
        self.assertEqual(words.sentence(fitted), "it asks for an address by BOOTP, and has none yet")
        self.assertEqual(asked_for(story.progress, NEW, [FACTORY]), (NEW, FACTORY))

    @given(
        st.lists(st.tuples(st.booleans(), st.sampled_from([NEW, FACTORY, Address(0)]), st.booleans(), st.booleans()))
    )
    def test_no_story_proves_what_did_not_answer(self, events: list[tuple[bool, Address, bool, bool]]) -> None:
        story = Story()
        answered = False
        for is_look, where, mine, counts in events:
            if is_look:
                story.look(*([(where, MINE if mine else OTHER)] if where else []), counts=counts)
                answered |= mine and where == NEW
            else:
                story.shows(where, Means.ANSWER if mine and where else Means.FRAME)
            self.assertTrue(answered or story.progress.seen is None)
            self.assertTrue(story.progress.kept is None or story.progress.went is not None)
            self.assertTrue({step.step for step in words.steps(Fitted(MINE.value, "a", NEW, None, story.progress))})


class Settings(unittest.TestCase):
    CARD = Card(
        "10.44.10.35", 24, "255.255.255.0", "10.44.10.0/24", "10.44.10.255", "10.44.10.1", ("10.44.10.1",), "", (), None,
        "printer-5", str(MINE), "printer", "", "Office", False,
    )  # fmt: skip

    def states(self, signs: dict[Sign, str]) -> dict[str, str]:
        one = Fitted(
            MINE.value, "printer-5", NEW, None, betrayed(Progress(), {str(sign): said for sign, said in signs.items()})
        )
        return {name: state for name, _, state, _ in words.settings(one, self.CARD)}

    def test_what_frames_betray_is_seen_or_seen_otherwise(self) -> None:
        self.assertEqual(set(self.states({}).values()), {"unseen"})
        good = {Sign.BROADCAST: "10.44.10.255", Sign.GATEWAY: "10.44.10.1", Sign.HOSTNAME: "PRINTER-5.local"}
        self.assertEqual(self.states(good), {"mask": "seen", "gateway": "seen", "DNS": "unseen", "name": "seen"})
        bad = {Sign.BROADCAST: "10.44.255.255", Sign.HOSTNAME: "q20"}
        self.assertEqual(
            self.states(bad) | {"gateway": ""},
            {"mask": "otherwise", "gateway": "", "DNS": "unseen", "name": "otherwise"},
        )
        self.assertEqual(self.states({Sign.OUTSIDE: "10.44.77.1"})["mask"], "otherwise")

    def test_a_card_is_in_the_order_of_the_page(self) -> None:
        kind = Kind("Q20", fields=(Field.NAME, Field.MAC, Field.ADDRESS, Field.VLAN, Field.PREFIX), notation="dots")
        self.assertEqual(
            words.card_lines(self.CARD, kind),
            [("name", "printer-5"), ("mac", "02c0.440c.0001"), ("address", "10.44.10.35"), ("prefix", "24")],
        )


class Lending(unittest.TestCase):
    def test_addresses_of_a_foreign_subnet_are_tried_from_its_upper_part(self) -> None:
        def tried(network: str, device: str, *taken: str) -> list[str]:
            known = [Address(int(IPv4Address(one))) for one in taken]
            found = to_try(IPv4Network(network), Address(int(IPv4Address(device))), known)
            return [str(IPv4Address(one)) for one in found]

        upper = ["192.168.5.191", "192.168.5.192", "192.168.5.193", "192.168.5.194"]
        self.assertEqual(tried("192.168.5.0/24", "192.168.5.1"), upper)
        others = ["192.168.5.192", "192.168.5.194", "192.168.5.195", "192.168.5.196"]
        self.assertEqual(tried("192.168.5.0/24", "192.168.5.191", "192.168.5.193"), others)
        self.assertEqual(
            tried("10.0.0.0/8", "10.0.0.1")[0], "10.191.255.255", "and of a large one nothing is counted out"
        )
        self.assertEqual(
            tried("192.168.5.0/29", "192.168.5.5"), ["192.168.5.6", "192.168.5.4", "192.168.5.3", "192.168.5.2"]
        )


class Names(unittest.TestCase):
    def test_a_pattern_takes_the_lowest_numbers_that_are_free(self) -> None:
        self.assertEqual(names("camera-{n:02}", 3, ["camera-01", "CAMERA-03"]), ["camera-02", "camera-04", "camera-05"])
        self.assertEqual(names("camera-{n}-foyer", 1, []), ["camera-1-foyer"])
        self.assertEqual(names("", 2, ["a"]), ["", ""])
        for wrong, count, said in (
            ("camera", 2, "cannot all be called"), ("camera", 1, "there is a 'camera' already"), ("c{n}{n}", 1, "no pattern"),
            ("c{m}", 1, "no pattern"), ("c {n}", 1, "not a hostname"), ("c{n:09}", 1, "at most 6 digits"), ("{n", 1, "no pattern"),
        ):  # fmt: skip
            with self.subTest(wrong), self.assertRaisesRegex(PatternError, said):
                names(wrong, count, ["camera"])

    @given(st.text(max_size=12), st.integers(1, 4))
    def test_any_pattern_makes_different_names_or_is_refused(self, pattern: str, count: int) -> None:
        try:
            made = names(pattern, count, [])
        except PatternError:
            return
        self.assertTrue(len(set(made)) == count or set(made) == {""})


class Kinds(unittest.TestCase):
    def test_a_kind_is_checked_and_says_what_would_be_right(self) -> None:
        kind = checked(Kind("  Q 20 ", factory="192.168.50.10", page="/setup"))
        self.assertEqual((kind.name, kind.comes, kind.factory), ("Q 20", Comes.ADDRESS, "192.168.50.10/24"))
        self.assertEqual(kind.page_at("10.0.0.7"), "http://10.0.0.7/setup")
        self.assertEqual(Kind("a", page="https://{address}:8443/x").page_at("10.0.0.7"), "https://10.0.0.7:8443/x")
        for wrong, where in (
            (Kind(""), "name"), (Kind("7"), "name"), (Kind("a", factory="192.168.50.0/24"), "factory"),
            (Kind("a", factory="127.0.0.1/24"), "factory"), (Kind("a", factory="10.0.0.1/8"), "factory"),
            (Kind("a", comes=Comes.ADDRESS), "factory"), (Kind("a", page="http://admin:pw@{address}/"), "page"),
            (Kind("a", page="javascript:alert(1)"), "page"), (Kind("a", notation="words"), "notation"),
            (Kind("a", fields=(Field.MAC, Field.MAC)), "fields"),
        ):  # fmt: skip
            with self.subTest(wrong), self.assertRaises(KindError) as told:
                checked(wrong)
            self.assertEqual(told.exception.where, where)

    def test_a_library_is_read_as_it_was_written_and_a_wrong_one_says_where(self) -> None:
        library = (
            checked(Kind("Q20", factory="192.168.50.10/24", store="press\nStore")),
            checked(Kind("C4", comes=Comes.BOOTP)),
        )
        self.assertEqual(read(written(library)), library)
        for text, said in (
            ("[]", "no library of kinds"), ("{", "no JSON"), ('{"kinds": [{"name": "a"}, {"name": "A"}]}', "kind 2: A stands"),
            ('{"kinds": [{"name": "a", "password": "x"}]}', "kind 1: 'password' is no field"),
            ('{"kinds": [{"name": 7}]}', "name is not a text"), ('{"kinds": [{"name": "a", "fields": ["x"]}]}', "kind 1"),
            ("[" * 100_000, "no JSON"),
        ):  # fmt: skip
            with self.subTest(text[:30]), self.assertRaisesRegex(KindError, said):
                read(text)
        self.assertEqual([str(one) for one in kinds.factory_stretch([*library, library[0]])], ["192.168.50.0/24"])
        self.assertEqual([mac_in(MINE, one) for one in kinds.NOTATIONS],
                         ["02:c0:44:0c:00:01", "02-c0-44-0c-00-01", "02c0.440c.0001", "02c0440c0001"])  # fmt: skip


class Bytes(unittest.TestCase):
    def test_bootp_questions_and_answers(self) -> None:
        asked = bootp.Request(7, MINE, IPv4Address("10.0.0.1"), True, 3)
        self.assertEqual(bootp.decode(bootp.encode(asked)), asked)
        with self.assertRaisesRegex(WireError, "a DHCP message"):
            bootp.decode(dhcp.encode(dhcp.Message(False, 7, MINE, dhcp.Kind.DISCOVER)))
        answer = bootp.reply(
            asked, IPv4Address("10.44.10.35"), IPv4Address("255.255.255.0"), IPv4Address("10.44.10.20")
        )
        self.assertEqual(
            (len(answer), answer[0], answer[4:8], answer[16:20]), (300, 2, b"\0\0\0\x07", b"\x0a\x2c\x0a\x23")
        )
        with self.assertRaises(WireError):
            bootp.decode(answer)

    def test_magic_packets(self) -> None:
        self.assertEqual(wake.decode(wake.encode(MINE)), (MINE, b""))
        self.assertEqual(wake.decode(b"noise" + wake.encode(MINE, b"secret")), (MINE, b"secret"))
        with self.assertRaisesRegex(ValueError, "4 or 6 octets, not 5"):
            wake.encode(MINE, b"wrong")
        with self.assertRaises(WireError):
            wake.decode(wake.encode(MINE)[:-1])
        raw, everybody, datagram = wake.frames(MINE, OWN, IPv4Address("10.44.10.20"), IPv4Address("10.44.10.255"))
        self.assertEqual(
            [ethernet.decode(one).destination for one in (raw, everybody, datagram)], [MINE, BROADCAST, BROADCAST]
        )
        self.assertEqual(
            wake.decode(ipv4.decode_udp(ipv4.decode(ethernet.decode(datagram).payload)).payload), (MINE, b"")
        )

    @given(st.binary(max_size=400))
    def test_any_octets_are_read_or_refused(self, data: bytes) -> None:
        engine = SeekEngine(OWN, (IPv4Interface("10.44.10.20/24"),))
        engine.want([Sought(MINE.value, NEW, (NEW,))], 0.0)
        engine.take(BROADCAST.to_bytes() + MINE.to_bytes() + data, 0.0)
        self.assertTrue(all(one.mac == MINE.value for one in engine.events()))
        for reader in (bootp.decode, wake.decode):
            with contextlib.suppress(WireError):
                reader(data)


class Answered(unittest.TestCase):
    """Who asks by DHCP or BOOTP is given one address, and nobody else anything."""

    GIVEN = Given(MINE, IPv4Address("10.44.10.35"), IPv4Address("255.255.255.0"), IPv4Address("10.44.10.20"), OWN)

    def asked(self, kind: dhcp.Kind, mac: Mac = MINE, client: str = "0.0.0.0", **options: bytes) -> bytes:
        told = tuple((int(getattr(dhcp.Option, name)), value) for name, value in options.items())
        message = dhcp.Message(False, 9, mac, kind, client=IPv4Address(client), options=told)
        return dhcp.frame(message, mac, BROADCAST)

    def answers(self, *frames: bytes) -> tuple[AnswerEngine, list[dhcp.Message]]:
        engine = AnswerEngine(self.GIVEN)
        found = [dhcp.of_frame(answer) for frame in frames for answer in engine.take(frame)]
        return engine, [one for one in found if one is not None]

    def test_it_offers_its_one_address_for_five_minutes_and_nothing_else(self) -> None:
        own, wanted = self.GIVEN.server.packed, self.GIVEN.address.packed
        engine, (offer, ack) = self.answers(
            self.asked(dhcp.Kind.DISCOVER), self.asked(dhcp.Kind.REQUEST, SERVER=own, ADDRESS=wanted)
        )
        self.assertEqual([one.kind for one in (offer, ack)], [dhcp.Kind.OFFER, dhcp.Kind.ACK])
        for one in (offer, ack):
            self.assertEqual((str(one.yours), one.number(dhcp.Option.LEASE_TIME)), ("10.44.10.35", 300))
            self.assertEqual({code for code, _ in one.options}, {1, 51, 54}, "no gateway, no DNS server")
        self.assertEqual((engine.said, engine.over), ("gave it 10.44.10.35 for 5 minutes", ""))

    def test_it_answers_nobody_else_and_never_says_no(self) -> None:
        foreign = IPv4Address("10.44.10.99").packed
        engine, answers = self.answers(
            self.asked(dhcp.Kind.DISCOVER, OTHER), self.asked(dhcp.Kind.REQUEST, ADDRESS=foreign),
            self.asked(dhcp.Kind.INFORM), b"", b"\xff" * 60, self.asked(dhcp.Kind.DISCOVER)[:50],
        )  # fmt: skip
        self.assertEqual((answers, engine.over), ([], ""))
        _, (renewed,) = self.answers(self.asked(dhcp.Kind.REQUEST, client="10.44.10.35"))
        self.assertEqual(renewed.kind, dhcp.Kind.ACK)

    def test_it_ends_when_another_server_shows_itself_or_the_device_declines(self) -> None:
        rival = IPv4Address("10.44.10.2")
        offer = dhcp.Message(True, 9, OTHER, dhcp.Kind.OFFER, yours=IPv4Address("10.44.10.100"))
        for frame, said in (
            (dhcp.frame(offer, OTHER, BROADCAST, rival), "a DHCP server answers here: 10.44.10.2"),
            (self.asked(dhcp.Kind.REQUEST, SERVER=rival.packed), "it chose another server: 10.44.10.2"),
            (self.asked(dhcp.Kind.REQUEST, OTHER, SERVER=rival.packed), "a DHCP server answers here: 10.44.10.2"),
            (self.asked(dhcp.Kind.DECLINE), "it declined 10.44.10.35"),
        ):
            engine, answers = self.answers(frame, self.asked(dhcp.Kind.DISCOVER))
            self.assertEqual(answers, [], "it is over")
            self.assertIn(said, engine.over)

    @unittest.skipUnless(shutil.which("tshark"), "tshark is not installed")
    def test_an_independent_reader_finds_nothing_malformed(self) -> None:
        engine = AnswerEngine(self.GIVEN)
        asked = bootp.frame(bootp.encode(bootp.Request(7, MINE)), MINE, BROADCAST, dhcp.NOBODY, dhcp.EVERYBODY, False)
        frames = [
            *wake.frames(MINE, OWN, IPv4Address("10.44.10.20"), IPv4Address("10.44.10.255"), bytes(6)), asked, *engine.take(asked),
            *engine.take(self.asked(dhcp.Kind.DISCOVER)),
        ]  # fmt: skip
        with tempfile.NamedTemporaryFile(suffix=".pcap") as file:
            head = bytes.fromhex("d4c3b2a1020004000000000000000000ffff000001000000")
            records = b"".join(bytes(8) + len(f).to_bytes(4, "little") * 2 + f for f in frames)
            Path(file.name).write_bytes(head + records)
            command = ["tshark", "-r", file.name, "-V"]
            said = subprocess.run(command, capture_output=True, text=True, check=True, timeout=PATIENCE).stdout
        self.assertEqual(len(frames), 6)
        self.assertNotIn("Malformed", said)
        self.assertNotIn("[Expert Info (Error", said)
        self.assertEqual(said.count("Wake On LAN, MAC: 02:c0:44:0c:00:01"), 3)
        for line in ("Boot Reply", "IP Address Lease Time", "300", "Your (client) IP address: 10.44.10.35"):
            self.assertIn(line, said)


class Told(unittest.TestCase):
    def test_a_fitting_that_stands_still_is_a_finding_until_it_moves(self) -> None:
        world, engine = World(Plan(), 1, lambda mac: False), Engine()

        def tell(idle: dict[int, Idle], at: int) -> list[str]:
            world.dirty[About.FITTING] |= world.fittings.told({MINE.value}, idle)
            return [turned.turn.value for turned in engine.settle(world, at)[0]]

        self.assertEqual(tell({}, 1), [])
        self.assertEqual(tell({7: Idle(("camera-17", "camera-18"), "console", 1)}, 2), ["opened"])
        finding = next(iter(engine.standing.values()))
        self.assertIn("nobody has moved the fitting 7 of camera-17, camera-18 for two weeks", finding.evidence[0].said)
        self.assertEqual(tell({}, 3), ["closed"])

    def test_that_a_device_in_its_carton_is_elsewhere_is_no_news(self) -> None:
        for fitted, told in (({}, {"foreign-address"}), ({MINE.value}, set())):
            world, engine = World(Plan(), 1, lambda mac: False), Engine()
            network = IPv4Interface("10.44.10.20/24").network
            world.links = {"office0": Link("office0", (network,), None, None)}
            world.own_macs, world.own_addresses = {OWN.value}, {address("10.44.10.20")}
            world.fittings.told(fitted, {})
            world.saw(FACTORY, MINE.value, 1_000, Source.ARP, "office0")
            self.assertEqual({turned.finding.kind for turned in engine.settle(world, 2_000)[0]}, told)


class Hunt(unittest.TestCase):
    def setUp(self) -> None:
        self.engine = SeekEngine(OWN, (IPv4Interface("10.44.10.20/24"),))
        self.now = 0.0

    def asked(self, seconds: float) -> list[tuple[Mac, IPv4Address]]:
        """Whom it asks for within some seconds: where the question goes, and for which address."""
        found = []
        until = self.now + seconds
        while self.now < until:
            for frame in self.engine.due(self.now):
                outer = ethernet.decode(frame)
                found.append((outer.destination, arp.decode(outer.payload).target_address))
            self.now += 0.01
        return found

    def answers(self, mac: Mac, where: int, to: Mac = OWN) -> None:
        packet = arp.Arp(arp.Operation.REPLY, mac, IPv4Address(where), to, IPv4Address("10.44.10.20"))
        self.engine.take(ethernet.encode(ethernet.Frame(to, mac, 0x0806, arp.encode(packet))), self.now)

    def test_the_new_address_is_asked_of_everybody_the_others_of_the_device_alone(self) -> None:
        self.engine.want([Sought(MINE.value, NEW, (NEW, FACTORY))], 0.0)
        asked = self.asked(0.8)
        self.assertEqual({to for to, where in asked if address_of(where) == NEW}, {BROADCAST})
        self.assertEqual({to for to, where in asked if address_of(where) == FACTORY}, {MINE})
        self.assertEqual(len(asked), 2 * 3)

    def test_where_it_says_it_is_it_is_asked_at_once(self) -> None:
        self.engine.want([Sought(MINE.value, NEW, (NEW,))], 0.0)
        self.asked(0.7)
        self.engine.take(ethernet.encode(arp.announcement(MINE, IPv4Address(FACTORY))), self.now)
        self.assertIn((MINE, IPv4Address(FACTORY)), self.asked(0.05))

    def test_a_device_that_makes_up_addresses_cannot_keep_a_look_from_its_end(self) -> None:
        self.engine.want([Sought(MINE.value, NEW, (NEW,))], 0.0)
        done = 0
        for number in range(400):
            self.asked(0.02)
            self.engine.take(ethernet.encode(arp.announcement(MINE, IPv4Address(FACTORY + number))), self.now)
            done += sum(isinstance(one, Done) for one in self.engine.events())
        self.assertGreaterEqual(done, 2)

    def test_an_answer_to_somebody_else_is_only_a_frame(self) -> None:
        self.engine.want([Sought(MINE.value, NEW, (NEW,))], 0.0)
        self.asked(0.1)
        self.answers(MINE, NEW, to=OTHER)
        self.answers(OTHER, NEW)
        self.asked(0.6 + LISTEN)
        shown = [one.means for one in self.engine.events() if isinstance(one, Shown)]
        self.assertEqual(shown, [Means.ARP])

    def test_an_answer_that_nobody_asked_for_is_only_a_frame(self) -> None:
        self.engine.want([Sought(MINE.value, NEW, (NEW,))], 0.0)
        self.asked(0.1)
        self.answers(MINE, FACTORY)
        self.assertEqual([one.means for one in self.engine.events() if isinstance(one, Shown)], [Means.ARP])
        self.asked(0.3)  # now it is asked there, because it was heard there
        self.answers(MINE, FACTORY)
        self.assertEqual([one.means for one in self.engine.events() if isinstance(one, Shown)], [Means.ANSWER])

    def test_a_look_ends_with_all_who_answered(self) -> None:
        self.engine.want([Sought(MINE.value, NEW, (NEW, FACTORY), controls=(address("10.44.10.1"),))], 0.0)
        self.asked(0.1)
        self.answers(MINE, NEW)
        self.answers(OTHER, NEW)
        self.asked(1.0)
        done = next(one for one in self.engine.events() if isinstance(one, Done))
        self.assertEqual(done, Done(MINE.value, {NEW: (MINE.value, OTHER.value), FACTORY: ()}, True))
        self.asked(1.2)
        done = next(one for one in self.engine.events() if isinstance(one, Done))
        self.assertFalse(done.counts, "not even the control answered")

    def test_a_computer_that_has_the_cards_address_is_asked_for_and_never_by_a_probe(self) -> None:
        beside = Address(FACTORY + 182)
        self.engine.want([Sought(MINE.value, NEW, (NEW,), beside=beside)], 0.0)
        questions = [
            arp.decode(ethernet.decode(frame).payload) for at in (0.1, 0.4, 0.7) for frame in self.engine.due(at)
        ]
        about = [one for one in questions if int(one.target_address) == beside]
        self.assertEqual([str(one.sender_address) for one in about], ["10.44.10.20"], "once a look, by ourselves")
        self.answers(OTHER, beside)
        self.engine.due(1.2)
        done = next(one for one in self.engine.events() if isinstance(one, Done))
        self.assertEqual(done.answers[beside], (OTHER.value,))
        progress, notes = Progress(), list[str]()
        for macs in ((OTHER.value,), (), (), ()):
            answers = {NEW: (MINE.value,), beside: macs}
            told = looked(progress, MINE.value, NEW, Look("office0", 1, answers, True, beside))
            progress, notes = told.progress, [*notes, *(said for step, said in told.notes if step is Step.REACH)]
        self.assertEqual(
            notes, [f"{OTHER} has 192.168.50.192 meanwhile, to reach it", f"{OTHER} has 192.168.50.192 no more"]
        )
        self.assertIsNone(progress.helper)

    def test_who_shows_nothing_is_asked_for_over_the_factory_subnets_alone(self) -> None:
        stretch = (FACTORY - 9, FACTORY + 244)
        self.engine.want([Sought(MINE.value, NEW, (NEW,), (stretch,))], 0.0)
        asked = [where for to, where in self.asked(1.5) if to == MINE]
        self.assertEqual({address_of(one) for one in asked}, set(range(stretch[0], stretch[1] + 1)))
        self.answers(MINE, FACTORY)
        self.assertEqual([one.means for one in self.engine.events() if isinstance(one, Shown)], [Means.ANSWER])
        self.assertEqual([to for to, _ in self.asked(1.0) if to == MINE], [], "it is known now")


if __name__ == "__main__":
    unittest.main()
