"""The address plan as users meet it: the service through its client, the command line as a process, on the demo site."""

from __future__ import annotations

import json
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from even_roster.api.devices import DeviceEdit
from even_roster.api.dhcp import DhcpServerNew
from even_roster.api.host_file import Reach, allow
from even_roster.api.plan import (
    AssignmentEdit,
    AssignmentNew,
    BandEdit,
    BandNew,
    RoleRule,
    Search,
    SiteEdit,
    SubnetEdit,
    SubnetNew,
    UseNew,
)
from even_roster.client import BadInput, Conflict, NotFound, Roster, StaleEdit
from tests.support.effort import effort
from tests.support.service import Service, demo, service

BESIDE = "anything"
PART = "test and endure"

MANY = effort(5_000, 20_000, 20_000)


class OnDemo(unittest.TestCase):
    """One demo service for a class; its tests leave no trace that others would stumble over."""

    service: Service
    roster: Roster

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo())
        cls.roster = cls.enterClassContext(cls.service.client())
        cls.service.roster("scan", "10.44.10.0/24", "--no-names")

    def refused(self, call: Any, *arguments: Any, error: type[Exception] = BadInput, **named: Any) -> str:
        with self.assertRaises(error) as told:
            call(*arguments, **named)
        return str(told.exception)


class Proofs(OnDemo):
    def test_no_address_that_somebody_has_a_right_to_is_clear(self) -> None:
        for address, said, ask in (
            ("10.44.10.120", "inside the pool", False), ("10.44.10.110", "leased it to portable-01", False),
            ("10.44.10.182", "reserved for portable-touring", False), ("10.44.10.1", "is the gateway", True),
            ("10.44.10.0", "network address", False), ("10.44.10.255", "broadcast address", False),
            ("10.44.10.20", "this machine's own", False), ("10.44.10.131", "answered for it just now", True),
            ("10.44.20.120", "answered for it just now (by arp)", True), ("10.44.10.240", "answered for it just now", True),
        ):  # fmt: skip
            found = self.roster.prove(address, ask=ask)
            self.assertEqual(found.grade, "taken", address)
            self.assertIn(said, "; ".join(found.reasons), address)

    def test_a_free_address_is_proven_by_three_probes_and_not_clear_without(self) -> None:
        began = time.monotonic()
        found = self.roster.free(Search(where="Office", role="printer", count=3))
        self.assertGreater(time.monotonic() - began, 2.5, "RFC 5227: three probes at least a second apart")
        self.assertEqual([c.grade for c in found.candidates], ["clear"] * 3)
        self.assertEqual(found.candidates[0].address, "10.44.10.34", "behind the other printers, in the printers' band")
        self.assertIn("nobody answered three ARP probes just now", found.candidates[0].reasons)
        unasked = self.roster.free(Search(where="Office", role="printer", count=3, ask=False))
        self.assertEqual([c.grade for c in unasked.candidates], ["doubtful"] * 3)

    def test_what_answers_although_nobody_planned_it_is_left_out(self) -> None:
        found = self.roster.free(Search(where="10.44.10.80-10.44.10.99", count=20))
        addresses = {candidate.address for candidate in found.candidates}
        self.assertFalse(addresses & {f"10.44.10.{n}" for n in (*range(80, 90), 97)}, "the desks answer, or sleep")
        self.assertEqual(len(addresses), 9)

    def test_behind_the_gateway_it_is_graded_lower_and_said_so(self) -> None:
        found = self.roster.free(Search(where="Foyer", role="wireless"))
        self.assertEqual(found.candidates[0].grade, "doubtful")
        self.assertIn("not on this machine's link", "; ".join(found.candidates[0].reasons))
        self.assertEqual(self.roster.prove("10.44.30.80").grade, "taken")

    def test_several_in_a_row_and_the_contract_of_the_json(self) -> None:
        found = self.service.json("free", "Stage", "--count", "4", "--adjacent")
        self.assertEqual(set(found), {"subnet", "candidates"})
        lasts = [int(c["address"].rpartition(".")[2]) for c in found["candidates"]]  # type: ignore[attr-defined]
        self.assertEqual(lasts, list(range(lasts[0], lasts[0] + 4)))
        keys = {"address", "grade", "band", "reasons", "last_seen", "last_mac"}
        self.assertEqual(set(found["candidates"][0]), keys)  # type: ignore[index]
        self.assertEqual(set(self.service.json("prove", "10.44.10.12")), keys)
        self.assertEqual(self.service.roster("prove", "10.44.10.12").returncode, 1)

    def test_a_name_that_is_no_place_is_told_with_the_places_there_are(self) -> None:
        self.assertIn(
            "planned are: Office, Stage", self.refused(self.roster.free, Search(where="Attic"), error=NotFound)
        )
        self.assertIn("several subnets have a band for storage", self.refused(self.roster.free, Search(role="storage")))
        self.assertIn("say where", self.refused(self.roster.free, Search()))


class Edits(OnDemo):
    def test_two_people_want_the_same_address_and_one_is_told_who_has_it(self) -> None:
        told: list[str] = []

        def want(name: str) -> None:
            with self.service.client() as mine:
                try:
                    mine.assign(AssignmentNew(address="10.44.20.200", name=name))
                except Conflict as conflict:
                    told.append(str(conflict))

        people = [threading.Thread(target=want, args=(f"hand-{n}",)) for n in range(8)]
        for person in people:
            person.start()
        for person in people:
            person.join()
        winner = self.roster.assignment("10.44.20.200")
        self.assertEqual(told, [f"10.44.20.200 is assigned to {winner.name}"] * 7)
        self.roster.release(winner.id)

    def test_a_mistake_is_told_first_and_saved_only_anyway(self) -> None:
        new = AssignmentNew(address="10.44.30.160", name="till-9")
        self.assertIn("lies inside the pool", self.refused(self.roster.assign, new))
        made = self.roster.assign(new.model_copy(update={"anyway": True}))
        self.assertEqual([p.kind for p in made.problems], ["static inside pool"])
        self.roster.release(made.id)
        for address, said in (
            ("10.44.30.0", "network address"),
            ("10.99.0.5", "no planned subnet"),
        ):
            message = self.refused(self.roster.assign, AssignmentNew(address=address, name="x", anyway=True))
            self.assertIn(said, message)

    def test_a_stale_edit_gets_the_values_as_they_are_now(self) -> None:
        one = self.roster.assignment("10.44.20.30")
        self.roster.edit_assignment(one.id, AssignmentEdit(notes="theirs"), version=one.version)
        with self.assertRaises(StaleEdit) as stale:
            self.roster.edit_assignment(one.id, AssignmentEdit(notes="mine"), version=one.version)
        self.assertEqual(stale.exception.current["notes"], "theirs")
        self.assertEqual(stale.exception.version, one.version + 1)
        done = self.service.roster("assignment", "set", "10.44.20.30", "--note", "x", "--version", str(one.version))
        self.assertEqual(done.returncode, 5)

    def test_a_move_lists_what_depends_on_the_address_first(self) -> None:
        shown = self.service.roster("move", "10.44.20.41", "10.44.20.43")
        self.assertEqual(shown.returncode, 1)
        self.assertIn("dimmer control", shown.stdout)
        self.assertEqual(self.roster.assignment("10.44.20.41").role, "control", "nothing has moved yet")
        moved = self.service.json("move", "10.44.20.41", "10.44.20.43", "--yes")
        use = moved["uses"][0]  # type: ignore[index]
        self.assertEqual((use["address"], use["moved_to"]), ("10.44.20.41", "10.44.20.43"))
        done = self.roster.finish_use(use["id"])
        self.assertEqual((done.address, done.moved_to), ("10.44.20.43", None))
        self.assertEqual([u.purpose for u in self.roster.assignment("10.44.20.43").uses], ["dimmer control"])
        self.roster.move_assignment(self.roster.assignment("10.44.20.43").id, "10.44.20.41")

    def test_a_device_of_the_roster_brings_its_mac_and_name(self) -> None:
        made: Any = self.service.json(
            "assign", "10.44.10.131", "10.44.10.131", "--name", "switch-attic-old", "--anyway"
        )
        self.assertEqual((made["vendor"], made["seen_at"]), ("Tolvane Networks", "10.44.10.131"))
        self.service.roster("release", "10.44.10.131")

    def test_a_device_that_nobody_named_is_called_as_in_the_plan(self) -> None:
        device = next(iter(self.roster.devices(q="10.44.10.50")))
        self.assertEqual((device.name, device.seen_name), ("", "phone-201"), "phones tell no name themselves")
        one = self.roster.assignment("10.44.10.50")
        self.roster.edit_assignment(one.id, AssignmentEdit(name="phone-box-office"))
        self.assertEqual([d.id for d in self.roster.devices(q="phone-box")], [device.id])
        self.roster.undo(self.roster.changes(limit=1)[0].id)
        self.assertEqual(self.roster.device(device.id).device.seen_name, "phone-201")

    def test_what_no_longer_fits_is_not_taken_back_and_says_why(self) -> None:
        self.roster.add_subnet(SubnetNew(range="10.51.0.0/24", name="Cellar"))
        added = self.roster.changes(limit=1)[0].id
        cellar = self.roster.planned_subnet("Cellar").subnet.id
        self.roster.add_band(BandNew(subnet=cellar, kind="pool", range="100-160"))
        first = self.roster.assign(AssignmentNew(address="10.51.0.9", name="boiler"))
        self.assertIn("the subnet of change", self.refused(self.roster.undo, added))
        self.roster.release(first.id)
        released = self.roster.changes(limit=1)[0].id
        second = self.roster.assign(AssignmentNew(address="10.51.0.9", name="pump"))
        said = self.refused(self.roster.undo, released)
        self.assertIn(
            f"10.51.0.9 belongs to pump now, so change {released} cannot be taken back; free the address", said
        )
        self.assertEqual(self.roster.assignment("10.51.0.9").name, "pump")
        self.roster.release(second.id)
        band = self.roster.planned_subnet("Cellar").bands[0]
        self.roster.remove_band(band.id)
        removed = self.roster.changes(limit=1)[0].id
        self.roster.add_band(BandNew(subnet=cellar, kind="static", range="150-200"))
        self.assertIn("overlap", self.refused(self.roster.undo, removed))
        self.assertEqual([b.first for b in self.roster.planned_subnet("Cellar").bands], ["10.51.0.150"])
        self.roster.remove_subnet(cellar)
        self.assertIn("needs was removed since", self.refused(self.roster.undo, removed))
        self.assertIn("needs was removed since", self.refused(self.roster.undo, released))
        self.roster.undo(self.roster.changes(limit=1)[0].id)
        self.roster.remove_band(self.roster.planned_subnet("Cellar").bands[0].id)
        self.roster.undo(released)
        self.assertEqual(self.roster.assignment("10.51.0.9").name, "boiler")

    def test_what_devices_have_is_made_lasting_as_their_roles_want_it(self) -> None:
        leases = {lease.address: lease for lease in self.roster.dhcp_leases() if lease.active and lease.device}
        office = [
            one.device.id for address, one in sorted(leases.items()) if address.startswith("10.44.10.") and one.device
        ]
        able = {
            row.device.id for row in self.roster.settle(office, dry_run=True).devices if row.device and not row.why_not
        }
        spare = [one for _, one in sorted(leases.items()) if one.device and one.device.id in able]
        free, camera, clash = (one.device for one in spare[:3])
        assert free is not None and camera is not None and clash is not None
        # A server of the site reserves what the third one holds for somebody else: it is refused, and holds up nobody.
        hosts = self.service.home / "hosts"
        hosts.write_text(f"id:01:02:03,{spare[2].address}\n")
        allow(self.service.home, Reach("annex", "dnsmasq", {"hosts": str(hosts)}))
        annex = self.roster.add_dhcp_server(DhcpServerNew(name="annex"))
        self.addCleanup(self.roster.remove_dhcp_server, annex.id)
        self.roster.edit_device(camera.id, DeviceEdit(role="camera"))
        planned = self.roster.assignment("10.44.10.30").device
        assert planned is not None
        dry = self.roster.settle([free.id, camera.id, planned.id], dry_run=True)
        self.assertEqual((dry.change_id, len(dry.devices)), (None, 3))
        done = self.roster.settle([clash.id, free.id, camera.id, planned.id, 999_999])
        self.assertIn("reserves", done.devices.pop(0).why_not)
        self.assertEqual(
            [(row.kind, row.moves) for row in done.devices],
            [("reserved", False), ("static", True), (None, False), (None, False)],
        )
        self.assertEqual(done.devices[0].address, spare[0].address)
        self.assertNotEqual(done.devices[1].address, spare[1].address)
        self.assertEqual(
            [row.why_not for row in done.devices[2:]],
            ["it has 10.44.10.30 in the plan already", "there is no device 999999"],
        )
        self.assertEqual(self.roster.assignment(spare[0].address).kind, "reserved")
        again = self.roster.settle([free.id])
        self.assertIn("in the plan already", again.devices[0].why_not)
        assert done.change_id is not None
        self.roster.undo(done.change_id)
        self.assertFalse(self.planned(spare[0].address), "all of it is one change")
        self.assertIn("Nothing was changed", self.service.roster("device", "settle", str(free.id), "--dry-run").stdout)

    def planned(self, address: str) -> bool:
        try:
            return bool(self.roster.assignment(address))
        except NotFound:
            return False

    def test_who_asks_side_by_side_gets_addresses_of_their_own(self) -> None:
        subnet = self.roster.planned_subnet("Office").subnet.id
        band = self.roster.add_band(
            BandNew(subnet=subnet, kind="static", range="10.44.10.240-251", name="side by side")
        )
        try:
            with ThreadPoolExecutor(8) as crowd:

                def give(number: int) -> str:
                    return self.roster.assign(AssignmentNew(where="side by side", name=f"crowd-{number}")).address

                given = list(crowd.map(give, range(8)))
            self.assertEqual(
                sorted(given), [f"10.44.10.{n}" for n in range(244, 252)], "each of the eight is given once"
            )
            with self.assertRaises(BadInput) as none:
                self.roster.assign(AssignmentNew(where="side by side", name="crowd-9"))
            self.assertIn("no free address is left", str(none.exception))
        finally:
            for address in range(244, 252):
                self.roster.release(self.roster.assignment(f"10.44.10.{address}").id)
            self.roster.remove_band(band.id)

    def test_reserve_chooses_a_proven_address_in_the_roles_band(self) -> None:
        made: Any = self.service.json(
            "reserve", "02-C0-44-00-99-01", "--in", "Office", "--role", "printer", "--name", "printer-9"
        )
        self.assertEqual((made["address"], made["kind"]), ("10.44.10.34", "reserved"))
        self.assertEqual(made["reservation"]["state"], "not published")
        again = self.service.roster("reserve", "02c044009901", "10.44.10.35", "--name", "printer-9")
        self.assertEqual(again.returncode, 2)
        self.assertIn("is reserved 10.44.10.34 and 10.44.10.35 in one subnet", again.stderr)
        self.service.roster("release", "10.44.10.34")

    def test_a_subnet_is_split_joined_shrunk_and_removed_without_losing_anything(self) -> None:
        self.roster.add_subnet(SubnetNew(range="10.50.0.0/24", name="Workshop", gateway="10.50.0.1"))
        subnet = self.roster.planned_subnet("Workshop").subnet
        self.roster.add_band(BandNew(subnet=subnet.id, kind="pool", range="100-160"))
        for last in (5, 60, 127, 200):
            self.roster.assign(AssignmentNew(address=f"10.50.0.{last}", name=f"tool-{last}", anyway=True))
        message = self.refused(self.roster.split_subnet, subnet.id, 25)
        self.assertIn("10.50.0.127 (tool-127) would become the broadcast address", message)
        self.roster.move_assignment(self.roster.assignment("10.50.0.127").id, "10.50.0.70")
        parts = self.roster.split_subnet(subnet.id, 25)
        self.assertEqual(
            [(p.cidr, p.assignment_count) for p in parts.items], [("10.50.0.0/25", 3), ("10.50.0.128/25", 1)]
        )
        self.assertIn(
            "would lie outside",
            self.refused(self.roster.edit_subnet, parts.items[0].id, SubnetEdit(range="10.50.0.0/26")),
        )
        self.assertIn("still holds 1 assignment", self.refused(self.roster.remove_subnet, parts.items[1].id))
        whole = self.roster.join_subnets(parts.items[0].id, [parts.items[1].id])
        self.assertEqual((whole.subnet.cidr, whole.subnet.assignment_count), ("10.50.0.0/24", 4))
        self.assertEqual([(b.first, b.last) for b in whole.bands], [("10.50.0.100", "10.50.0.160")], "as it was drawn")
        for change in self.roster.changes(limit=2):
            self.assertIn(change.action, ("join", "split"))
            self.roster.undo(change.id)
        self.assertEqual([b.first for b in self.roster.planned_subnet("Workshop").bands], ["10.50.0.100"])
        for last in (5, 60, 70, 200):
            self.roster.release(self.roster.assignment(f"10.50.0.{last}").id)
        self.roster.remove_subnet(subnet.id)
        self.refused(self.roster.planned_subnet, "Workshop", error=NotFound)

    def test_subnets_that_make_no_sense_are_refused_with_a_way_out(self) -> None:
        for new, said in (
            (SubnetNew(range="10.44.10.5/24"), "an address inside 10.44.10.0/24, not its beginning"), (SubnetNew(range="10.44.10.0/24"), "planned already as Office"),
            (SubnetNew(range="10.44.10.128/25"), "overlaps Office"), (SubnetNew(range="10.60.0.0/24", gateway="10.61.0.1"), "does not lie in"),
            (SubnetNew(range="10.60.0.0/24", name="stage"), "both called"), (SubnetNew(range="Office"), "neither a range"),
            (SubnetNew(range="10.60.0.0/24", domain="no domain"), "is not a domain name"), (SubnetNew(range="10.60.0.0/24", name="60"), "begins with a letter"),
        ):  # fmt: skip
            self.assertIn(said, self.refused(self.roster.add_subnet, new))
        for small in ("10.60.0.0/31", "10.60.0.9/32", "10.60.0.0/16"):
            made = self.roster.add_subnet(SubnetNew(range=small, supernet=small.endswith("16"))).subnet
            self.assertEqual(made.shares.left, {"10.60.0.0/31": 2, "10.60.0.9/32": 1, "10.60.0.0/16": 65536 - 3}[small])
        for one in ("10.60.0.0/31", "10.60.0.9/32", "10.60.0.0/16"):
            self.roster.remove_subnet(next(s.id for s in self.roster.planned_subnets() if s.cidr == one))

    def test_another_site_may_use_the_same_range(self) -> None:
        annex = self.roster.add_site("Annex")
        self.roster.add_subnet(SubnetNew(range="10.44.10.0/24", site="annex", name="Office there"))
        made = self.roster.assign(AssignmentNew(address="10.44.10.12", name="other-ledger", site="Annex"))
        self.assertEqual(self.roster.assignment("10.44.10.12").name, "ledger")
        self.assertEqual(self.roster.assignment("10.44.10.12", "Annex").name, "other-ledger")
        found = self.roster.prove("10.44.10.13", "Annex")
        self.assertEqual((found.grade, found.last_seen), ("doubtful", None), "what is seen here says nothing of there")
        self.assertIn("the wire was not asked", "; ".join(found.reasons))
        self.assertIn("still has 1 subnets", self.refused(self.roster.remove_site, annex.id))
        self.roster.release(made.id)
        self.roster.remove_subnet(self.roster.planned_subnet("Office there", "Annex").subnet.id)
        self.roster.edit_site(annex.id, SiteEdit(name="Old annex"))
        self.roster.remove_site(annex.id)

    def test_bands_are_checked_while_they_are_drawn(self) -> None:
        office = self.roster.planned_subnet("Office").subnet
        band = next(b for b in self.roster.bands(office.id) if b.kind == "pool")
        self.assertIn(
            "overlaps the static band desks",
            self.refused(self.roster.edit_band, band.id, BandEdit(range="10.44.10.90-199")),
        )
        self.refused(
            lambda: self.roster.edit_band(band.id, BandEdit(name="x"), version=band.version - 1), error=StaleEdit
        )
        shown = self.service.roster("band", "add", "Office", "static", "60-70")
        self.assertEqual(shown.returncode, 2)
        self.assertIn("overlaps the static band phones", shown.stderr)
        self.assertIn("make one of them shorter", shown.stderr)

    def test_roles_are_the_sites_to_change(self) -> None:
        self.roster.set_role_rule(RoleRule(name="Tills", on_pool="never"))
        self.assertIn("tills", [rule.name for rule in self.roster.role_rules()])
        made = self.roster.assign(
            AssignmentNew(
                address="10.44.30.230",
                name="till-1",
                mac="02:c0:7d:00:77:01",
                role="tills",
                kind="reserved",
                anyway=True,
            )
        )
        self.assertIn("role depends on DHCP", [p.kind for p in made.problems])
        self.roster.release(made.id)
        self.roster.forget_role_rule("tills")
        self.assertNotIn("tills", [rule.name for rule in self.roster.role_rules()])

    def test_the_plan_check_tells_what_is_wrong_at_the_site(self) -> None:
        self.service.roster("scan", "10.44.30.171")
        found = self.service.json("subnet", "check")["items"]
        assert isinstance(found, list)
        self.assertIn("static inside pool", [p["kind"] for p in found])
        self.assertEqual(self.service.roster("subnet", "check").returncode, 1)
        self.assertEqual(set(found[0]), {"kind", "severity", "sentence", "remedy", "subjects"})


class Lists(unittest.TestCase):
    def test_thousands_of_assignments_are_imported_listed_sorted_and_undone(self) -> None:
        with service("serve") as running, running.client() as roster:
            roster.add_subnet(SubnetNew(range="10.96.0.0/16", name="Big"))
            rows = "".join(f"10.96.{n // 250}.{n % 250 + 2},host-{n},{0x02C05B000000 + n:012x}\n" for n in range(MANY))
            dry = roster.import_sheet(b"ip,name,mac\n10.96.0.2,host-0,\n")
            self.assertEqual((dry.added_count, dry.refused_count, len(dry.rows), dry.change_id), (1, 0, 1, None))
            self.assertEqual(roster.assignments().page.total, 0, "a dry run changes nothing")
            done = roster.import_sheet(f"ip,name,mac\n{rows}".encode(), dry_run=False)
            first = roster.assignments(sort="name", limit=3)
            self.assertEqual((first.page.total, [a.name for a in first]), (MANY, ["host-0", "host-1", "host-10"]))
            some = [a.name for a in roster.assignments(sort="name", limit=2003)]
            self.assertEqual(
                (len(some), len(set(some)), some == sorted(some)), (2003, 2003, True), "over several pages"
            )
            self.assertEqual(
                [a.address for a in roster.assignments(descending=True, limit=1)], [f"10.96.{MANY // 250 - 1}.251"]
            )
            for text, total in ((f"host-{MANY - 1}", 1), ("10.96.7.", 250), ("02-c0-5b-00-0e", 256), ("nobody", 0)):
                self.assertEqual(roster.assignments(q=text).page.total, total, text)
            assert done.change_id is not None
            roster.undo(done.change_id)
            self.assertEqual(roster.assignments().page.total, 0)
            few = "".join(rows.splitlines(keepends=True)[:2000])
            with self.assertRaises(BadInput) as refused:
                roster.import_sheet(f"ip,name,mac\n{few}10.96.0.2,twice,\n".encode(), dry_run=False)
            self.assertIn("row 2002, column ip: 10.96.0.2 stands in row 2 already", str(refused.exception))
            self.assertEqual(roster.assignments().page.total, 0, "all rows or none")


class CommandLine(OnDemo):
    def test_every_command_gives_one_json_document(self) -> None:
        for arguments, key in (
            (("sites",), "items"), (("subnets",), "items"), (("subnet", "show", "Office"), "bands"), (("bands",), "items"), (("roles",), "items"),
            (("subnet", "check"), "items"), (("assignment", "--kind", "reserved"), "items"), (("uses", "list"), "items"), (("dhcp", "servers"), "items"),
            (("dhcp", "preview"), "lines"), (("dhcp", "adopt", "--dry-run"), "reservations"), (("dhcp", "leases"), "items"), (("dhcp", "pools"), "items"),
            (("dhcp", "export"), "subnets"), (("dns", "hosts"), "hosts_file"), (("dns", "zone", "Office"), "items"), (("dns", "check", "--in", "Office"), "disagreements"), (("card", "10.44.10.12"), "snippets"),
        ):  # fmt: skip
            found = self.service.json(*arguments)
            self.assertIn(key, found, arguments)

    def test_people_get_words(self) -> None:
        said = self.service.roster("subnet", "show", "Office").stdout
        self.assertIn("254 usable - 100 in pools - 40 kept free - 1 gateway - 35 taken = 78 left for static use", said)
        said = self.service.roster("card", "10.44.20.120", "--snippet", "ifupdown").stdout
        self.assertIn("address 10.44.20.120/24", said)
        said = self.service.roster("explain", "10.44.20.41").stdout
        self.assertIn("light desk uses it for dimmer control", said)

    def test_a_spreadsheet_goes_in_and_out(self) -> None:
        place = self.service.home / "out.xlsx"
        self.assertEqual(self.service.roster("file", "out", str(place)).returncode, 0)
        shown = self.service.json("file", "in", str(place))
        self.assertEqual((shown["added_count"], shown["changed_count"], shown["refused_count"]), (0, 0, 0))
        bad = self.service.home / "bad.csv"
        bad.write_text("ip,name\n10.44.10.300,x\n")
        done = self.service.roster("file", "in", str(bad))
        self.assertEqual(done.returncode, 2)
        self.assertIn("row 2, column ip", done.stderr)
        self.assertEqual(self.service.roster("file", "in", str(bad), "--dry-run").returncode, 1)
        self.assertEqual(self.service.roster("file", "out", "/tmp/x.pdf").returncode, 2)

    def test_what_is_only_planned_is_found_and_a_planned_name_is_a_range(self) -> None:
        found = self.roster.find("portable-tour").items
        self.assertEqual([(f.kind, f.title) for f in found], [("device", "portable-touring")])
        touring = found[0].device
        assert touring is not None
        self.assertEqual((touring.expected, touring.address, touring.role), (True, "10.44.10.182", "portable"))
        self.assertEqual([f.link for f in self.roster.find("camer").items][:1], ["/subnets/10.44.40.0/26"])
        self.assertEqual(self.roster.measure("Cameras").count, 64)

    def test_bad_input_is_told_in_a_sentence(self) -> None:
        for arguments, code, said in (
            (("subnet", "show", "Attic"), 2, "no planned subnet is called"), (("band", "set", "nothing", "--name", "x"), 2, "there is no band"),
            (("band", "set", "printers", "--lease", "soon"), 2, "not a length of time"), (("subnet", "split", "Office", "x"), 2, "not a prefix length"),
            (("release", "10.44.10.200"), 2, "assigned to nobody"), (("dhcp", "preview", "attic"), 2, "no DHCP server"), (("file", "in", "/nowhere.csv"), 2, "cannot be read"),
            (("free", "Office", "--count", "65"), 2, "goes from 1 to 64"), (("card", "10.9.9.9"), 2, "no planned subnet"), (("reserve", "02:c0", "10.44.10.40"), 2, "there is no device"), (("assign", "10.44.10.40", "--name", "a b"), 2, "not a hostname"),
        ):  # fmt: skip
            done = self.service.roster(*arguments)
            self.assertEqual(done.returncode, code, (arguments, done.stderr))
            self.assertIn(said, done.stderr)


class StandinDhcp(unittest.TestCase):
    def test_the_simulated_server_is_published_to_and_leases_become_sightings(self) -> None:
        with demo() as running, running.client() as roster:
            lease = next(x for x in roster.dhcp_leases() if x.name == "portable-05")
            self.assertEqual(lease.address, "10.44.10.114")
            device = next(iter(roster.devices(q="portable-05")))
            sheet = roster.device(device.id)
            self.assertEqual((sheet.device.seen_name, sheet.stays[0].sources), ("portable-05", ["lease"]))
            self.assertEqual([p.left for p in roster.dhcp_pools()], [89, 38, 12])
            server = roster.dhcp_servers()[0]
            roster.assign(
                AssignmentNew(address="10.44.10.183", mac="02:c0:9f:ae:00:78", kind="reserved", name="portable-guest")
            )
            preview = roster.dhcp_preview(server.id)
            self.assertEqual([line.after for line in preview.lines], ["02:c0:9f:ae:00:78 10.44.10.183 portable-guest"])
            roster.dhcp_publish(server.id, preview.digest)
            waiting = roster.assignment("10.44.10.181").reservation
            assert waiting is not None
            self.assertEqual(waiting.state, "waiting")
            self.assertIn("still on 10.44.10.114 until about", waiting.sentence)
            self.assertEqual(roster.assignment("10.44.10.110").reservation.state, "in effect")  # type: ignore[union-attr]
            self.assertEqual(roster.dhcp_preview(server.id).lines, [])
            changes = roster.changes(limit=500)
            self.assertIn("adopt", [change.action for change in changes])

    def test_a_restart_keeps_the_plan_and_uses_survive(self) -> None:
        with demo() as first:
            home = first.home
            with first.client() as roster:
                roster.add_use(UseNew(user="porter's radio", address="10.44.10.12", purpose="list of keys"))
                before = json.dumps([s.model_dump(mode="json") for s in roster.planned_subnets()])
            first.stop()
            with demo(home=home) as second, second.client() as roster:
                self.assertEqual(json.dumps([s.model_dump(mode="json") for s in roster.planned_subnets()]), before)
                self.assertIn("porter's radio", [use.user for use in roster.uses("10.44.10.12")])


if __name__ == "__main__":
    unittest.main()
