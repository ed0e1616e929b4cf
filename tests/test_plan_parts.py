"""Parts of the plan's machinery on their own: records and undo, publishing and rolling back, leases, the simulated
server and its clients, the prober under a clock of its own."""

from __future__ import annotations

import asyncio
import json
import sqlite3
import tempfile
import unittest
from collections.abc import Sequence
from dataclasses import dataclass, replace
from ipaddress import IPv4Address, IPv4Interface, IPv4Network
from pathlib import Path
from unittest.mock import patch

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine

from even_roster.core.adapters import Adapter
from even_roster.core.address import Address, address_of
from even_roster.core.dhcp import Pool, Reservation, Scope, ScopeThere
from even_roster.core.holdings import Holding
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.owning import Record
from even_roster.core.plan.following import Lease
from even_roster.core.plan.model import Assignment, AssignmentKind, HandedOut, Subnet
from even_roster.core.plan.proof import Asked
from even_roster.dhcp import dnsmasq_text
from even_roster.dhcp.controlled import ControlledServer
from even_roster.dhcp.files import restore_files, write_files
from even_roster.dhcp.kea import KeaServer
from even_roster.dhcp.server import (
    ChangedMeanwhile,
    Owned,
    Rendered,
    Seen,
    ServerRefused,
    ServerTrouble,
    Texts,
    There,
    preview,
    publish,
)
from even_roster.probe import prover
from even_roster.probe.confirm import confirm
from even_roster.standin.hosts import Awake, Host
from even_roster.standin.segment import StandinMachine
from even_roster.standin.site import Site as SimulatedSite
from even_roster.standin.site import SiteSubnet
from even_roster.store import plan_records
from even_roster.store.database import Database
from even_roster.store.edits import EditError
from even_roster.store.plan_edits import PlanConflict, Saved
from even_roster.wire import arp, dhcp, ethernet
from even_roster.wire.dhcp import Kind, Message, Option
from tests.support import editing
from tests.support.clock import FakeClock

BESIDE = "anything"

OFFICE = IPv4Network("10.44.10.0/24")
LAPTOP = Mac.parse("02:c0:9f:a0:00:6b")
PRINTER = Mac.parse("02:c0:44:00:00:01")


def ip(text: str) -> Address:
    return Address(int(IPv4Address(text)))


class Records(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.database = Database(self.folder / "roster.db")
        self.addCleanup(self.database.close)

    def save(self, before: Sequence[Record], after: Sequence[Record], action: str = "edit") -> Saved:
        with self.database.write() as connection:
            return editing.save(connection, 1000, before, after, action)

    def undo(self, change: int) -> None:
        with self.database.write() as connection:
            editing.undo(connection, 2000, change)

    def plan(self) -> list[object]:
        with self.database.read() as connection:
            plan = plan_records.load(connection)
        return [*plan.subnets.values(), *plan.assignments.values()]

    def test_a_roster_of_the_first_version_gets_a_site_and_loses_nothing(self) -> None:
        path = self.folder / "old.db"
        config = Config()
        config.set_main_option("script_location", "src/even_roster/store/migrations")
        engine = create_engine(f"sqlite:///{path}")
        with engine.connect() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "0001")
            connection.commit()
        engine.dispose()
        with sqlite3.connect(path) as old:
            old.execute(
                "INSERT INTO segments (id, fingerprint, adapter, subnet, first_seen, last_seen) VALUES (7, 'f', 'eth0', '10.44.10.0/24', 1, 2)"
            )
            old.execute(
                "INSERT INTO stays (segment_id, address, mac, first, last, sightings, sources) VALUES (7, 1, 2, 3, 4, 5, 1)"
            )
        database = Database(path)
        with database.read() as connection:
            self.assertEqual(
                [(s.name, s.here) for s in plan_records.load(connection).sites.values()], [("This site", True)]
            )
            rows = connection.exec_driver_sql(
                "SELECT s.site_id, t.address FROM segments s JOIN stays t ON t.segment_id = s.id"
            ).all()
        self.assertEqual([tuple(row) for row in rows], [(1, 1)])
        self.assertEqual(len(list((self.folder / "backups").glob("before-migration-0001-*.db"))), 1)
        database.close()

    def test_new_items_that_point_at_each_other_get_their_ids_together(self) -> None:
        made = self.save([], [
            Subnet(-1, 1, "A", OFFICE), Subnet(-2, 1, "B", IPv4Network("10.44.20.0/24")),
            Assignment(0, 1, -2, ip("10.44.20.5"), AssignmentKind.STATIC, None, "x"), Assignment(0, 1, -1, ip("10.44.10.5"), AssignmentKind.STATIC, None, "y"),
        ])  # fmt: skip
        subnets = {s.name: s.id for s in made.after if isinstance(s, Subnet)}
        self.assertEqual(
            {a.name: a.subnet for a in made.after if isinstance(a, Assignment)}, {"x": subnets["B"], "y": subnets["A"]}
        )
        with self.database.read() as connection:
            self.assertEqual(
                sorted(map(repr, plan_records.load(connection).subnets.values())),
                sorted(repr(s) for s in made.after if isinstance(s, Subnet)),
            )

    def test_two_assignments_may_change_places(self) -> None:
        self.save([], [Subnet(-1, 1, "A", OFFICE)])
        made = self.save(
            [], [Assignment(0, 1, 1, ip(f"10.44.10.{n}"), AssignmentKind.STATIC, None, f"h{n}") for n in (5, 6)]
        )
        one, two = (a for a in made.after if isinstance(a, Assignment))
        self.save([one, two], [replace(one, address=two.address), replace(two, address=one.address)])
        with self.database.read() as connection:
            plan = plan_records.load(connection)
        self.assertEqual([plan.at(1, ip(f"10.44.10.{n}")).name for n in (5, 6)], ["h6", "h5"])  # type: ignore[union-attr]

    def test_a_stale_edit_changes_nothing_and_says_who_was_there(self) -> None:
        made = self.save([], [Subnet(-1, 1, "A", OFFICE)]).after[0]
        assert isinstance(made, Subnet)
        self.save([made], [replace(made, name="B")])
        with self.assertRaises(PlanConflict) as stale:
            self.save([made], [replace(made, name="C")])
        self.assertEqual((stale.exception.version, getattr(stale.exception.current, "name", "")), (2, "B"))
        self.assertIn("by a hand", str(stale.exception))
        self.assertEqual([s.name for s in self.plan() if isinstance(s, Subnet)], ["B"])

    def test_undo_takes_back_whole_changes_in_turn_and_refuses_to_skip_one(self) -> None:
        first = self.save([], [Subnet(-1, 1, "A", OFFICE)])
        one = first.after[0]
        assert isinstance(one, Subnet)
        second = self.save([one], [replace(one, name="B")])
        gone = self.save(second.after, [])
        with self.assertRaises(EditError) as refused:
            self.undo(second.change)
        self.assertIn("undo the later change first", str(refused.exception))
        for change in (gone, second, first):
            self.undo(change.change)
        self.assertEqual(self.plan(), [])
        again = self.save([], [Subnet(-1, 1, "A", OFFICE)]).after[0]
        self.assertNotEqual(again.id, one.id, "an id is never given twice")


@dataclass
class FakeServer:
    """A server that can be told to misbehave."""

    text: str = "as it was"
    refuses: bool = False
    forgets: bool = False
    loses: bool = False
    wanders: bool = False
    garbles: bool = False
    pools_by_hand: bool = False
    reserves_in_pools: bool = True
    tells_leases: bool = True
    ends_leases: bool = False
    verified: str = "read back and verified"
    tells_anew: bool = False
    restored: int = 0
    published: tuple[Reservation, ...] = ()

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        garbled = self.garbles and self.text != "as it was"
        texts = {"its file": "garbled" if garbled else self.text}
        return There(texts, self._means(self.text, self.loses, self.forgets))

    def as_seen(self, seen: Seen) -> bool:
        return False

    def end_lease(self, address: Address) -> None:
        raise ServerTrouble("it cannot")

    def understand(self, texts: Texts, owned: Owned, hints: Sequence[IPv4Network]) -> tuple[ScopeThere, ...]:
        return self._means(texts["its file"], False, False)

    def _means(self, text: str, loses: bool, forgets: bool) -> tuple[ScopeThere, ...]:
        if text == "as it was":
            return (ScopeThere(Scope(OFFICE, options=HandedOut(domain="by-hand"))),)
        options = HandedOut() if loses else HandedOut(domain="by-hand")
        return (ScopeThere(Scope(OFFICE, options=options, reservations=() if forgets else self.published)),)

    def render(self, there: There, scopes: Sequence[Scope], owned: Owned) -> Rendered:
        self.published = next(scope.reservations for scope in scopes)
        return Rendered({"its file": "new"})

    def check(self, texts: Texts) -> str:
        if self.refuses:
            raise ServerRefused("the server does not like it")
        return "checked"

    def write(self, before: Texts, after: Texts) -> str:
        self.text = after["its file"]
        return "written"

    def restore(self, before: Texts, after: Texts) -> str:
        self.restored += 1
        self.text = before["its file"]
        return "it is as it was"

    def beyond(self, there: There, after: Texts, back: There) -> list[str]:
        return ["a class is gone"] if self.wanders else []

    def leases(self) -> list[Lease]:
        return []

    def holdings(self, networks: Sequence[IPv4Network], there: There | None = None) -> list[Holding]:
        return []


class Publishing(unittest.TestCase):
    wanted = (Scope(OFFICE, reservations=(Reservation(LAPTOP.value, ip("10.44.10.181"), "portable-05"),)),)

    def test_it_is_checked_written_and_read_back(self) -> None:
        server = FakeServer()
        done = publish(server, self.wanted, {}, None)
        self.assertEqual((server.text, done.notes), ("new", ("checked", "written", "read back and verified")))
        self.assertEqual(done.owned, {"10.44.10.0/24": ["reservation 02:c0:9f:a0:00:6b 10.44.10.181"]})
        self.assertEqual(publish(server, self.wanted, {}, None).notes, ("nothing to change",))

    def test_whatever_goes_wrong_the_server_is_as_it_was(self) -> None:
        for server, said, restored in (
            (FakeServer(refuses=True), "does not like it", 0), (FakeServer(forgets=True), "does not have what was published", 1),
            (FakeServer(loses=True), "a part that people wrote by hand is gone (10.44.10.0/24 option domain)", 1),
            (FakeServer(wanders=True), "something has changed that was not to change (a class is gone)", 1),
            (FakeServer(garbles=True), "its file is not what was written", 1),
        ):  # fmt: skip
            with self.assertRaises(ServerTrouble) as trouble:
                publish(server, self.wanted, {}, None)
            self.assertIn(said, str(trouble.exception))
            self.assertEqual((server.text, server.restored), ("as it was", restored))
        with self.assertRaises(ServerTrouble) as stale:
            publish(FakeServer(), self.wanted, {}, "another digest")
        self.assertIn("changed since the preview", str(stale.exception))

    def test_a_preview_changes_nothing(self) -> None:
        server = FakeServer()
        shown, _ = preview(server, self.wanted, {})
        self.assertEqual(([line.action for line in shown.difference.lines], server.text), (["add"], "as it was"))

    def test_a_file_is_replaced_whole_with_its_rights_and_the_old_one_is_kept(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path, other = folder / "dhcp.conf", folder / "more.conf"
        path.write_text("old")
        other.write_text("more")
        path.chmod(0o640)
        before, after = {str(path): "old", str(other): "more"}, {str(path): "new\r\n", str(other): "more"}
        write_files(before, after)
        self.assertEqual((path.read_bytes(), path.stat().st_mode & 0o777), (b"new\r\n", 0o640))
        self.assertEqual((folder / "dhcp.conf.previous~").read_text(), "old")
        self.assertEqual(sorted(p.name for p in folder.iterdir()), ["dhcp.conf", "dhcp.conf.previous~", "more.conf"])
        self.assertEqual(restore_files(before, after), ("the previous configuration is in place again", True))
        self.assertEqual((path.read_text(), (folder / "dhcp.conf.refused~").read_bytes()), ("old", b"new\r\n"))

    def test_what_somebody_edited_meanwhile_is_never_written_over(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path = folder / "dhcp.conf"
        path.write_text("theirs")
        before, after = {str(path): "old"}, {str(path): "new"}
        with self.assertRaises(ChangedMeanwhile):
            write_files(before, after)
        self.assertEqual(path.read_text(), "theirs")
        path.write_text("old")
        write_files(before, after)
        path.write_text("theirs again")
        told, written = restore_files(before, after)
        self.assertEqual((path.read_text(), written), ("theirs again", False))
        self.assertIn(f"left as it is; what was there before is in {folder}/dhcp.conf.previous~", told)
        self.assertEqual((folder / "dhcp.conf.previous~").read_text(), "old")

    def test_of_several_files_all_are_written_or_none(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path = folder / "dhcp.conf"
        path.write_text("old")
        gone = folder / "nowhere" / "more.conf"
        with self.assertRaises(ServerTrouble):
            write_files({str(path): "old"}, {str(path): "new", str(gone): "more"})
        self.assertEqual(path.read_text(), "old")


class Leases(unittest.TestCase):
    HEAD = "address,hwaddr,client_id,valid_lifetime,expire,subnet_id,fqdn_fwd,fqdn_rev,hostname,state,user_context\n"

    def test_the_last_line_of_an_address_counts_in_keas_files(self) -> None:
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "leases.csv"
        path.with_name("leases.csv.2").write_text(
            f"{self.HEAD}10.44.10.90,02:c0:44:00:00:01,,3600,5000,1,0,0,printer-1.,0,\n"
        )
        path.write_text(
            f"{self.HEAD}10.44.10.110,02:c0:9f:a0:00:6b,,3600,10000,1,0,0,old,0,\n"
            "10.44.10.110,02:c0:9f:a0:00:6b,,3600,13600,1,0,0,portable-05,0,\n"
            "10.44.10.111,02:c0:44:00:00:01,,0,9000,1,0,0,,0,\n10.44.10.112,02:c0:44:00:00:01,,3600,9000,1,0,0,,1,\nnonsense,,\n"
        )
        found = KeaServer(lease_file=path, config=path).leases()
        self.assertEqual(found, [
            Lease(ip("10.44.10.90"), PRINTER.value, "printer-1", 5_000_000, 1_400_000),
            Lease(ip("10.44.10.110"), LAPTOP.value, "portable-05", 13_600_000, 10_000_000),
        ])  # fmt: skip

    def test_dnsmasqs_lines_and_noise(self) -> None:
        text = "1795431313 02:c0:44:00:00:01 10.44.10.30 printer-1 *\n0 02:c0:9f:a0:00:6b 10.44.10.31 * 01:02\nduid 00:01\nx y z w\n"
        self.assertEqual(dnsmasq_text.leases(text), [
            Lease(ip("10.44.10.30"), PRINTER.value, "printer-1", 1_795_431_313_000), Lease(ip("10.44.10.31"), LAPTOP.value, "", None),
        ])  # fmt: skip


def a_site(clock: FakeClock, *hosts: Host) -> SimulatedSite:
    adapter = Adapter("lab0", Mac.parse("02:c0:9f:4e:00:01"), (IPv4Interface("10.44.10.20/24"),))
    return SimulatedSite(
        "Lab",
        [SiteSubnet("Office", OFFICE, 10)],
        hosts,
        [adapter],
        "lab",
        clock=clock,
        sleep=clock.sleep,
        epoch=1_800_000_000.0,
    )


def a_host(label: str, mac: Mac, address: str, **traits: object) -> Host:
    return Host(label, mac, (IPv4Address(address),), 10, **traits)  # type: ignore[arg-type]


class SimulatedDhcp(unittest.TestCase):
    pool = Scope(
        OFFICE,
        (Pool(ip("10.44.10.100"), ip("10.44.10.102")),),
        HandedOut(3600, ip("10.44.10.1"), (ip("10.44.10.2"),), "larkspur.example"),
    )

    def setUp(self) -> None:
        self.clock = FakeClock(0.0)
        self.laptop = a_host("portable-05", LAPTOP, "10.44.10.101", by_dhcp=True)
        self.site = a_site(self.clock, self.laptop)
        self.server = self.site.serve_dhcp("lab", IPv4Address("10.44.10.2"), [self.pool])
        self.control = ControlledServer(self.server.control)

    def ask(
        self, kind: Kind, mac: Mac = PRINTER, *options: tuple[int, bytes], client: str = "0.0.0.0"
    ) -> Message | None:
        message = Message(False, 9, mac, kind, client=IPv4Address(client), options=options)
        return self.server.answer(dhcp.decode(dhcp.encode(message)), OFFICE)

    def test_a_client_keeps_its_old_lease_until_it_renews_and_then_gets_the_reserved_address(self) -> None:
        self.assertEqual([(x.address, x.mac, x.name, x.since, x.expires) for x in self.control.leases()], [
            (ip("10.44.10.101"), LAPTOP.value, "portable-05", 1_800_000_000_000, 1_800_003_600_000),
        ])  # fmt: skip
        reserved = replace(self.pool, reservations=(Reservation(LAPTOP.value, ip("10.44.10.181"), "portable-05"),))
        publish(self.control, [reserved], {"10.44.10.0/24": frozenset()}, None)
        self.clock.now = 1000
        self.site.dhcp_server("lab")
        self.assertEqual(str(self.laptop.addresses[0]), "10.44.10.101", "it has no reason to ask yet")
        self.clock.now = 1801
        self.site.dhcp_server("lab")
        self.assertEqual(str(self.laptop.addresses[0]), "10.44.10.181")
        self.assertEqual([x.address for x in self.control.leases()], [ip("10.44.10.181")])

    def test_it_answers_as_rfc_2131_says(self) -> None:
        offer = self.ask(Kind.DISCOVER)
        assert offer is not None
        self.assertEqual(
            (offer.kind, str(offer.yours), offer.number(Option.LEASE_TIME)), (Kind.OFFER, "10.44.10.100", 3600)
        )
        self.assertEqual([str(a) for a in offer.addresses(Option.ROUTERS)], ["10.44.10.1"])
        wanted = (Option.ADDRESS, offer.yours.packed)
        self.assertIsNone(
            self.ask(Kind.REQUEST, PRINTER, wanted, (Option.SERVER, IPv4Address("10.9.9.9").packed)),
            "another server was chosen",
        )
        ack = self.ask(Kind.REQUEST, PRINTER, wanted, (Option.SERVER, self.server.address.packed))
        assert ack is not None
        self.assertEqual((ack.kind, ack.yours), (Kind.ACK, offer.yours))
        for address in ("10.44.10.101", "10.44.10.50"):
            nak = self.ask(Kind.REQUEST, PRINTER, (Option.ADDRESS, IPv4Address(address).packed))
            assert nak is not None
            self.assertEqual(nak.kind, Kind.NAK, address)
        self.ask(Kind.RELEASE, PRINTER, client="10.44.10.100")
        self.assertEqual([x.address for x in self.control.leases()], [ip("10.44.10.101")])

    def test_a_full_pool_offers_nothing_until_a_lease_ends(self) -> None:
        for number in range(2):
            mac = Mac(MacNumber(PRINTER.value + number))
            offer = self.ask(Kind.DISCOVER, mac)
            assert offer is not None
            self.ask(Kind.REQUEST, mac, (Option.ADDRESS, offer.yours.packed))
        self.assertIsNone(self.ask(Kind.DISCOVER, Mac(MacNumber(PRINTER.value + 9))))
        self.clock.now = 4000
        self.assertIsNotNone(self.ask(Kind.DISCOVER, Mac(MacNumber(PRINTER.value + 9))))

    def test_its_own_check_refuses_what_makes_no_sense(self) -> None:
        twice = replace(
            self.pool,
            reservations=(Reservation(MacNumber(1), ip("10.44.10.9")), Reservation(MacNumber(2), ip("10.44.10.9"))),
        )
        overlap = replace(
            self.pool, pools=(Pool(ip("10.44.10.10"), ip("10.44.10.20")), Pool(ip("10.44.10.20"), ip("10.44.10.30")))
        )
        for scope, said in ((twice, "the same address"), (overlap, "overlap")):
            with self.assertRaises(ServerRefused) as refused:
                publish(self.control, [scope], {"10.44.10.0/24": frozenset(["pool 10.44.10.100-10.44.10.102"])}, None)
            self.assertIn(said, str(refused.exception))
        self.assertIn("cannot be read", json.loads(self.server.control(b"nonsense"))["error"])

    def test_a_broadcast_on_the_wire_reaches_it(self) -> None:
        frame = dhcp.frame(Message(False, 5, PRINTER, Kind.DISCOVER), PRINTER, Mac(MacNumber((1 << 48) - 1)))
        answers = [dhcp.of_frame(answer) for _, answer in self.site.deliver("lab0", frame)]
        self.assertEqual([(a.kind, a.transaction) for a in answers if a], [(Kind.OFFER, 5)])


class Probing(unittest.TestCase):
    def word(self, clock: FakeClock, *hosts: Host, wanted: Sequence[str]) -> dict[str, prover.WireWord]:
        machine = StandinMachine(a_site(clock, *hosts))
        found = asyncio.run(prover.ask(machine.open(machine.adapters()[0]), [ip(a) for a in wanted]))
        return {str(IPv4Address(a)): word for a, word in found.items()}

    def test_three_probes_take_three_seconds_and_an_answer_ends_them(self) -> None:
        clock = FakeClock(0.0)
        self.assertEqual(self.word(clock, wanted=["10.44.10.50"])["10.44.10.50"], prover.WireWord(Asked.PROBES))
        self.assertGreaterEqual(clock.now, 3.0)
        self.assertLess(clock.now, 3.3)
        clock = FakeClock(0.0)
        found = self.word(clock, a_host("printer", PRINTER, "10.44.10.50"), wanted=["10.44.10.50"])["10.44.10.50"]
        self.assertEqual([(h.mac, h.by) for h in found.heard], [(PRINTER.value, "arp")])
        self.assertLess(clock.now, 0.2)

    def test_a_probe_that_was_sent_late_leaves_the_next_one_its_whole_second(self) -> None:
        clock, sent = FakeClock(0.0), list[float]()
        machine = StandinMachine(a_site(clock))
        segment = machine.open(machine.adapters()[0])
        door = segment.frames()

        def late(frame: bytes) -> None:
            clock.sleep(0.3 if len(sent) == 1 else 0.0)  # the second one
            sent.append(clock.now)

        with patch.object(segment, "frames", return_value=door), patch.object(door, "send", late):
            asyncio.run(prover.ask(segment, [ip("10.44.10.50")]))
        self.assertEqual(len(sent), 3)
        self.assertGreaterEqual(sent[2] - sent[1], 1.0)
        self.assertGreaterEqual(clock.now - sent[2], 1.0, "it is listened for a second after the last one")

    def test_a_host_that_wakes_up_for_the_last_probe_is_heard(self) -> None:
        sleeper = a_host("portable", LAPTOP, "10.44.10.50", awake=Awake(100.0, 97.0, 1.9))
        found = self.word(FakeClock(0.0), sleeper, wanted=["10.44.10.50", "10.44.10.51"])
        self.assertEqual([len(found[a].heard) for a in ("10.44.10.50", "10.44.10.51")], [1, 0])

    def test_all_that_claim_an_address_are_told_and_a_competing_probe_counts(self) -> None:
        rival = ethernet.encode(arp.probe(LAPTOP, IPv4Address("10.44.10.60")))
        hosts = (
            a_host("a", PRINTER, "10.44.10.50"), a_host("b", LAPTOP, "10.44.10.50"),
            a_host("c", LAPTOP, "10.44.10.9", chatter=(rival,)),
        )  # fmt: skip
        found = self.word(FakeClock(0.0), *hosts, wanted=["10.44.10.50", "10.44.10.60", "10.44.10.61"])
        self.assertEqual({h.mac for h in found["10.44.10.50"].heard}, {PRINTER.value, LAPTOP.value})
        self.assertEqual([(h.mac, h.by) for h in found["10.44.10.60"].heard], [(LAPTOP.value, "its own arp probe")])
        self.assertEqual(found["10.44.10.61"].heard, ())

    def test_what_is_overheard_speaks_against_an_address_and_is_told_as_that(self) -> None:
        printer = IPv4Address("10.44.10.50")
        asked = arp.Arp(arp.Operation.REQUEST, PRINTER, IPv4Address("10.44.10.7"), arp.NO_MAC, printer)
        for frame in (arp.announcement(LAPTOP, printer), arp.reply_to(asked, LAPTOP, printer)):
            chatty = a_host("c", LAPTOP, "10.44.10.9", chatter=(ethernet.encode(frame),))
            found = self.word(FakeClock(0.0), chatty, wanted=[str(printer)])[str(printer)]
            self.assertEqual([(h.mac, h.by, h.overheard) for h in found.heard], [(LAPTOP.value, "arp", True)])

    def test_a_second_round_counts_replies_to_its_own_questions_alone(self) -> None:
        rival, printer, nobody = Mac.parse("02:c0:66:00:00:66"), IPv4Address("10.44.10.50"), IPv4Address("10.44.10.51")
        asked = arp.Arp(arp.Operation.REQUEST, LAPTOP, IPv4Address("10.44.10.9"), arp.NO_MAC, printer)
        forged = [
            frame for address in (printer, nobody)
            for frame in (arp.announcement(rival, address), arp.reply_to(asked, rival, address), arp.request(rival, address, printer))
        ]  # fmt: skip
        chatty = a_host("c", rival, "10.44.10.66", chatter=tuple(map(ethernet.encode, forged)))
        machine = StandinMachine(a_site(FakeClock(0.0), a_host("printer", PRINTER, str(printer)), chatty))
        found = asyncio.run(confirm(machine.open(machine.adapters()[0]), [address_of(printer), address_of(nobody)]))
        self.assertEqual(found, {address_of(printer): (PRINTER.value,), address_of(nobody): ()})


if __name__ == "__main__":
    unittest.main()
