"""Fittings on the demo: a printer, one that forgets, six cameras with one factory address, what gives in the middle; kept and resumed."""

from __future__ import annotations

import asyncio
import json
import signal
import unittest
from concurrent.futures import ThreadPoolExecutor
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path
from tempfile import TemporaryDirectory
from types import SimpleNamespace
from typing import cast

from even_roster.api.demo import TypedIn
from even_roster.api.fitting import ChangeOverNew, DeviceKindEdit, DeviceKindNew, FittedView, FittingNew, Record
from even_roster.api.plan import AssignmentNew, Search
from even_roster.client import BadInput, Conflict, NotFound, Roster, StaleEdit
from even_roster.service.context import Context
from even_roster.service.fitting.lending import Lending
from even_roster.service.fitting.lending import Lent as LentAddress
from tests.support.patience import until
from tests.support.service import Service, demo

BESIDE = "anything"

PRINTER, FORGETFUL, TERMINAL = "02:c0:44:0c:00:01", "02:c0:44:0c:00:02", "02:c0:7d:0c:00:01"


class Fitting:
    """One fitting as a test follows it."""

    def __init__(self, roster: Roster, new: FittingNew) -> None:
        self.roster = roster
        self.id = roster.begin_fitting(new).id

    @property
    def devices(self) -> list[FittedView]:
        return self.roster.fitting(self.id).devices

    @property
    def one(self) -> FittedView:
        return self.devices[0]

    def at(self, step: str, number: int = 0) -> FittedView:
        """Wait until a device is at a step."""
        until(lambda: self.devices[number].step == step, f"it does not come to {step}: {self.devices[number].said}")
        return self.devices[number]

    def gone(self) -> None:
        until(lambda: self.one.went_at is not None, "it was not seen going")

    def said(self) -> list[str]:
        """What was written down."""
        return [f"{note.step}: {note.said}" for note in self.one.written]


class OnTheDemo(unittest.TestCase):
    service: Service
    roster: Roster

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False))
        cls.roster = cls.enterClassContext(cls.service.client())

    def begin(self, *macs: str, **more: object) -> Fitting:
        fitting = Fitting(self.roster, FittingNew(macs=list(macs), **more))  # type: ignore[arg-type]
        self.addCleanup(self.give_up, fitting)
        return fitting

    def give_up(self, fitting: Fitting) -> None:
        if any(one.state == "open" for one in fitting.devices):
            self.roster.give_up_fitting(fitting.id)

    def type_in(self, label: str, address: str | None, store: bool = False) -> None:
        assert address is not None
        self.roster.type_into_carton(label, TypedIn(address=address, mask="255.255.255.0", store=store))

    def found(self, fitting: Fitting) -> str | None:
        found = fitting.one.found
        return found.address if found is not None else None

    def test_a_printer_that_forgets_is_brought_in_until_it_is_proven(self) -> None:
        self.roster.add_device_kind(
            DeviceKindNew(
                name="Quillmark Q20", factory="192.168.50.10/24", page="/setup", store="press Store", role="printer"
            )
        )
        fitting = self.begin(FORGETFUL.replace(":", "-"), kind="quillmark q20", name="printer-{n}", where="Office")
        one = fitting.one
        self.assertEqual(
            (one.step, one.name, one.state, one.vendor), ("find", "printer-5", "open", "Quillmark Printing")
        )
        self.assertRegex(one.reasons[0], "it has no power")
        self.assertIn("cameras0, office0, stage0", one.reasons[1])
        self.roster.power_carton("printer-forgetful", True)
        one = fitting.at("type")
        assert one.found is not None
        self.assertEqual((one.found.adapter, one.found.address), ("office0", "192.168.50.10"))
        self.assertIn("press Store", one.said)
        self.assertEqual([line.name for line in one.card], ["address", "mask", "gateway", "dns", "name", "vlan"])
        self.type_in("printer-forgetful", one.address)
        one = fitting.at("keep")
        self.roster.power_carton("printer-forgetful", False)
        fitting.gone()
        with self.assertRaisesRegex(BadInput, "at the step keep, and what comes after that is not proven"):
            self.roster.record_fitting(fitting.id, Record(fitted_id=one.id))
        self.roster.power_carton("printer-forgetful", True)
        one = fitting.at("type")
        self.assertEqual(one.against, "back at 192.168.50.10 on office0: typed in but not stored")
        self.type_in("printer-forgetful", one.address, store=True)
        fitting.at("keep")
        self.roster.power_carton("printer-forgetful", False)
        fitting.gone()
        self.roster.power_carton("printer-forgetful", True)
        one = fitting.at("record")
        done = self.roster.record_fitting(
            fitting.id, Record(fitted_id=one.id, name="Workshop printer", place="Workshop", kind="Quillmark Q20")
        )
        self.assertEqual((done.devices[0].state, done.closed_at is not None), ("done", True))
        self.assertEqual({step.state for step in done.devices[0].steps} - {"not needed"}, {"passed"})
        said = fitting.said()
        self.assertEqual(said[-1], "record: recorded")
        self.assertIn("keep: back at 192.168.50.10 on office0: typed in but not stored", said)
        self.assertRegex(said[-2], r"keep: it came back at 10\.44\.10\.\d+ after \d+ s")
        assert one.device is not None
        device = self.roster.device(one.device.id).device
        self.assertEqual((device.name, device.place, device.address), ("Workshop printer", "Workshop", one.address))
        with self.assertRaisesRegex(BadInput, "is done already"):
            self.roster.record_fitting(fitting.id, Record(fitted_id=one.id))
        self.assertEqual(next(iter(self.roster.device_kinds())).fitted_count, 1)

    def test_six_cameras_with_one_factory_address_are_led_one_after_the_other(self) -> None:
        macs = [f"02:c0:88:0c:00:{number:02x}" for number in range(1, 7)]
        fitting = self.begin(*macs, role="camera", name="camera-{n:02}", where="Cameras")
        devices = fitting.devices
        addresses = [str(one.address) for one in devices]
        last = [int(one.rpartition(".")[2]) for one in addresses]
        self.assertEqual(last, list(range(last[0], last[0] + 6)), "side by side")
        self.assertEqual([one.name for one in devices], [f"camera-{number}" for number in range(17, 23)])
        for number in range(1, 7):
            self.roster.power_carton(f"camera-carton-{number}", True)
        fitting.at("type", 5)
        until(lambda: all(one.step == "type" for one in fitting.devices), "some camera is not found")
        self.assertIn("type the card", fitting.devices[0].said)
        self.assertIn("wait: camera-17 is at the same address and comes first", fitting.devices[1].said)
        self.type_in("camera-carton-1", addresses[0])
        fitting.at("keep", 0)
        until(lambda: "type the card" in fitting.devices[1].said, "the next one's turn does not come")
        for number in range(1, 6):
            self.type_in(f"camera-carton-{number + 1}", addresses[number])
        until(lambda: all(one.step == "keep" for one in fitting.devices), "some camera is not seen")
        for number in range(1, 6):
            self.roster.power_carton(f"camera-carton-{number}", False)
        until(lambda: sum(one.went_at is not None for one in fitting.devices) == 5, "some camera is not seen going")
        for number in range(1, 6):
            self.roster.power_carton(f"camera-carton-{number}", True)
        until(lambda: [one.step for one in fitting.devices].count("record") == 5, "some camera does not come back")
        self.assertEqual(fitting.devices[5].step, "keep", "one that lags holds up none")
        for one in fitting.devices[:5]:
            self.roster.record_fitting(fitting.id, Record(fitted_id=one.id))
        row = next(iter(self.roster.fittings(open=True)))
        self.assertEqual((row.id, row.done_count, row.open_count), (fitting.id, 5, 1))
        given = self.roster.give_up_fitting(fitting.id)
        self.assertEqual([one.state for one in given.devices], ["done"] * 5 + ["given up"])
        with self.assertRaises(NotFound):
            self.roster.assignment(addresses[5])
        self.assertEqual(self.roster.assignment(addresses[4]).name, "camera-21")

    def test_a_mask_that_is_otherwise_is_told(self) -> None:
        fitting = self.begin(TERMINAL, role="other", name="till-{n}", where="Office", policy="static")
        self.roster.power_carton("terminal-carton", True)
        self.type_in("terminal-carton", fitting.at("type").address)
        one = fitting.at("keep")
        states = {setting.name: (setting.state, setting.said) for setting in one.settings}
        self.assertEqual(states["mask"][0], "otherwise")
        self.assertIn("10.44.255.255", states["mask"][1])
        self.assertEqual(states["DNS"][0], "unseen")
        self.roster.give_up_fitting(fitting.id)

    def test_an_address_that_is_moved_taken_or_released_meanwhile(self) -> None:
        fitting = self.begin(PRINTER, role="printer", name="printer-x", where="Office")
        first = fitting.one
        self.roster.power_carton("printer-carton", True)
        fitting.at("type")
        assert first.assignment is not None
        other = self.roster.free(Search(where="Office", role="printer", count=1)).candidates[0].address
        self.roster.move_assignment(first.assignment, other)
        until(lambda: fitting.one.address == other, "it does not follow the plan")
        self.type_in("printer-carton", first.address)
        until(lambda: self.found(fitting) == first.address, "not seen there")
        self.assertEqual(fitting.one.step, "type", "that is not its address any more")
        self.type_in("printer-carton", "10.44.10.30")  # printer-1 is there
        until(lambda: self.found(fitting) == "10.44.10.30", "not seen there")
        self.type_in("printer-carton", other)
        fitting.at("keep")
        self.roster.release(fitting.one.assignment or 0)
        self.assertIn("the plan has no address for it", fitting.at("where").said)
        until(lambda: "where: the plan has no address for it any more" in fitting.said(), "it is not written down")
        with self.assertRaisesRegex(BadInput, "no address for it any more|at the step where"):
            self.roster.record_fitting(fitting.id, Record(fitted_id=first.id, anyway=True))
        given = self.roster.give_up_fitting(fitting.id)
        self.assertEqual(given.devices[0].state, "given up")
        self.roster.power_carton("printer-carton", False)

    def test_one_that_asks_and_one_that_is_dead(self) -> None:
        fitting = self.begin("02:c0:10:0c:00:01", role="control", name="dimmer-new", where="Stage", policy="static")
        self.roster.power_carton("dimmer-carton", True)
        one = fitting.at("reach")
        assert one.heard is not None
        self.assertEqual((one.heard.means, one.heard.address, one.heard.adapter), ("bootp", None, "stage0"))
        self.assertIn("by BOOTP", one.said)
        with ThreadPoolExecutor(2) as both:
            asked = [both.submit(self.roster.answer_device, fitting.id, one.id) for _ in range(2)]
            refused = [str(each.exception()) for each in asked if each.exception() is not None]
        self.assertEqual(len(refused), 1, "one device is answered once, however many press the button")
        self.assertIn("is being asked for servers already", refused[0])
        self.assertIn("given from here", fitting.at("keep").said)
        self.roster.answer_no_more(fitting.id, one.id)
        self.assertIsNone(fitting.one.reach)
        dead = self.begin("02:c0:61:0c:00:01", role="phone", name="phone-dead", where="Office")
        self.roster.power_carton("phone-carton", True)
        self.assertEqual((dead.one.step, bool(dead.one.reasons)), ("find", True))
        for one_fitting in (fitting, dead):
            self.roster.give_up_fitting(one_fitting.id)

    def test_what_makes_no_sense_is_refused_and_takes_nothing(self) -> None:
        new, other = "02:c0:44:0c:77:01", "02:c0:44:0c:77:02"
        before = len(list(self.roster.assignments()))
        refusals: list[tuple[dict[str, object], str]] = [
            ({"macs": [new, new.upper()]}, "stands there twice"),
            ({"macs": ["02:c0"]}, "12 are needed"),
            ({"macs": ["ff:ff:ff:ff:ff:ff"]}, "group or empty"),
            ({"macs": [new], "kind": "nonsense"}, "there is no kind 'nonsense'"),
            ({"macs": [new], "role": "toaster"}, "there is no role"),
            (
                {"macs": [new], "where": "Office", "role": "printer", "name": "printer-1"},
                "there is a 'printer-1' already",
            ),
            ({"macs": [new, other], "where": "Office", "role": "printer", "name": "p"}, "cannot all be called"),
            ({"macs": [new], "address": "10.44.10.131", "name": "x"}, "is not free: .*answer"),
            ({"macs": [new, other], "address": "10.44.10.36"}, "cannot be that of 2 devices"),
        ]
        for given, said in refusals:
            with self.subTest(said), self.assertRaisesRegex((BadInput, NotFound, Conflict), said):
                self.roster.begin_fitting(FittingNew(**given))  # type: ignore[arg-type]
        with self.assertRaisesRegex(BadInput, "lies inside the pool"):
            self.begin(new, address="10.44.10.150", role="printer", name="in-the-pool")
        with self.assertRaisesRegex((BadInput, Conflict), "office servers") as told:
            self.begin(new, address="10.44.10.22", role="printer", name="among-servers")
        self.assertTrue(told.exception.problem.anyway)
        odd = self.begin(new, address="10.44.10.22", role="printer", name="among-servers", anyway=True)
        self.roster.give_up_fitting(odd.id)
        fitting = self.begin(PRINTER, role="printer", name="printer-y", where="Office")
        with self.assertRaisesRegex(BadInput, "being fitted already"):
            self.begin(PRINTER)
        self.roster.give_up_fitting(fitting.id)
        with self.assertRaisesRegex(BadInput, "is over already"):
            self.roster.give_up_fitting(fitting.id)
        self.assertEqual(len(list(self.roster.assignments())), before)

    def test_one_that_is_planned_already_keeps_its_address_also_when_given_up(self) -> None:
        made = self.roster.assign(
            AssignmentNew(
                kind="static", address="10.44.10.96", mac="02:c0:44:00:77:09", name="printer-planned", anyway=True
            )
        )
        fitting = self.begin("02:c0:44:00:77:09")
        self.assertEqual((fitting.one.address, fitting.one.name), ("10.44.10.96", "printer-planned"))
        self.roster.give_up_fitting(fitting.id)
        self.assertEqual(self.roster.assignment(made.id).address, "10.44.10.96")
        self.roster.release(made.id)

    def over(self, **given: object) -> Fitting:
        fitting = Fitting.__new__(Fitting)
        fitting.roster = self.roster
        fitting.id = self.roster.begin_change_over(ChangeOverNew(**given)).id  # type: ignore[arg-type]
        self.addCleanup(self.give_up, fitting)
        return fitting

    def test_a_new_box_takes_the_place_of_an_old_one_and_gives_it_back(self) -> None:
        before = self.roster.assignment("10.44.10.33")
        fitting = self.over(device="printer-4", mac=PRINTER)
        one = fitting.one
        self.assertEqual((one.name, one.address, one.mac), ("printer-4", "10.44.10.33", PRINTER))
        until(
            lambda: f"{before.mac} answers at 10.44.10.33, which is not this device" in fitting.one.against,
            "the old box is silent",
        )
        self.roster.power_carton("printer-carton", True)
        self.type_in("printer-carton", fitting.at("type").address)
        until(lambda: f"{before.mac} answers at 10.44.10.33 as well" in fitting.one.against, "the old box is not told")
        self.roster.give_up_fitting(fitting.id)
        self.assertEqual(self.roster.assignment("10.44.10.33").mac, before.mac)
        self.roster.power_carton("printer-carton", False)

    def test_a_device_is_moved_its_dependants_are_told_and_it_can_be_taken_back(self) -> None:
        fitting = self.over(device="printer-2", where="printers")
        one = fitting.at("type")
        assert one.address is not None
        self.assertNotEqual(one.address, "10.44.10.31")
        uses = list(self.roster.uses(one.address))
        self.assertEqual([(use.user, use.moved_to) for use in uses], [("desk-bookings", one.address)])
        done = self.service.roster("fit", "show", str(fitting.id), "--once").stdout
        self.assertIn(f"desk-bookings uses 10.44.10.31 for print queue, and must be told {one.address}", done)
        self.roster.give_up_fitting(fitting.id)
        self.assertEqual(self.roster.assignment("printer-2").address, "10.44.10.31")
        self.assertEqual([use.moved_to for use in self.roster.uses("10.44.10.31")], [None])
        for given, said in (
            ({"device": "printer-2"}, "say what is to change"), ({"device": "printer-2", "address": "10.44.10.30"}, "is not free"),
            ({"device": "unknown-thing", "where": "Office"}, "no device"), ({"device": "printer-2", "mac": "x"}, "not a MAC"),
        ):  # fmt: skip
            with self.subTest(said), self.assertRaisesRegex((BadInput, NotFound, Conflict), said):
                self.over(**given)

    def test_kinds_are_kept_edited_carried_and_taken_back(self) -> None:
        made = self.roster.add_device_kind(
            DeviceKindNew(name="Oxbow C4", factory="192.168.60.64/24", fields=["mac", "address"])
        )
        with self.assertRaisesRegex(BadInput, "there is a kind 'Oxbow C4' already"):
            self.roster.add_device_kind(DeviceKindNew(name="oxbow c4"))
        with self.assertRaisesRegex(BadInput, "is no page"):
            self.roster.edit_device_kind(made.id, DeviceKindEdit(page="http://me:pw@{address}/"))
        edited = self.roster.edit_device_kind(made.id, DeviceKindEdit(reset="the pin hole, 10 s"), made.version)
        with self.assertRaises(StaleEdit):
            self.roster.edit_device_kind(made.id, DeviceKindEdit(notes="x"), made.version)
        text = self.roster.kinds_out().text
        self.assertIn("the pin hole", text)
        self.roster.remove_device_kind(made.id, edited.version)
        taken = self.roster.kinds_in(text)
        self.assertEqual((taken.added_count, taken.changed_count), (1, 0))
        again = next(one for one in self.roster.device_kinds() if one.name == "Oxbow C4")
        self.assertEqual((again.reset, again.fields), ("the pin hole, 10 s", ["mac", "address"]))
        self.roster.undo(self.roster.changes(limit=1)[0].id)
        self.assertNotIn("Oxbow C4", [one.name for one in self.roster.device_kinds()])
        with self.assertRaisesRegex(BadInput, "kind 1: 'password' is no field"):
            self.roster.kinds_in('{"kinds": [{"name": "a", "password": "b"}]}')


class Lent(unittest.TestCase):
    def test_what_is_lent_is_not_renewed_where_it_would_bend_a_route_by_now(self) -> None:
        lender = Lender()
        plan = SimpleNamespace(site_here=1, plan=SimpleNamespace(subnets_of=lambda site: []))
        machine = SimpleNamespace(lender=lambda: lender)
        now = [0.0]
        lending = Lending(cast(Context, SimpleNamespace(plan=plan, machine=machine, monotonic=lambda: now[0])))
        network = IPv4Network("192.168.50.0/24")
        lent = LentAddress("eth0", network[190], network[10], network, 0, 20.0)

        async def follow(needed: list[int]) -> list[int]:
            return await lending.follow(needed)

        lending.lent = {1: lent}
        self.assertEqual((asyncio.run(follow([1])), lender.calls), ([], []), "nothing is due")
        now[0] = 20.0
        self.assertEqual((asyncio.run(follow([1])), lender.calls.pop()), ([], "lend"))
        now[0], lender.there = 40.0, [IPv4Network("192.168.0.0/16")]
        self.assertEqual((asyncio.run(follow([1])), lender.calls, lending.lent), ([1], ["take back"], {}))
        lending.lent = {1: lent}
        self.assertEqual((asyncio.run(follow([])), lending.lent), ([1], {}), "nobody needs it any more")


class Lender:
    """A lender that notes what it is told."""

    def __init__(self) -> None:
        self.calls: list[str] = []
        self.there: list[IPv4Network] = []

    def routes(self) -> list[IPv4Network]:
        return self.there

    def lend(self, adapter: str, own: IPv4Address, device: IPv4Address, seconds: int) -> None:
        self.calls.append("lend")

    def take_back(self, adapter: str, own: IPv4Address, device: IPv4Address) -> None:
        self.calls.append("take back")


class Resumed(unittest.TestCase):
    def test_a_fitting_goes_on_where_it_was_after_the_service_was_killed(self) -> None:
        home = Path(self.enterContext(TemporaryDirectory())) / "home"
        with demo(home=home) as service, service.client() as roster:
            fitting = Fitting(roster, FittingNew(macs=[PRINTER], role="printer", name="printer-z", where="Office"))
            roster.power_carton("printer-carton", True)
            one = fitting.at("type")
            until(lambda: "find: answers at 192.168.50.10 on office0" in fitting.said(), "it is not written down")
            service.stop(signal.SIGKILL)
        with demo(home=home) as service, service.client() as roster:  # its machine's power was gone too
            again = roster.fitting(fitting.id).devices[0]
            self.assertEqual((again.step, again.address, again.said), ("type", one.address, one.said))
            fitting.roster = roster
            roster.power_carton("printer-carton", True)
            until(lambda: roster.cartons()[0].open, "it does not start")
            roster.type_into_carton("printer-carton", TypedIn(address=str(one.address)))
            fitting.at("keep")
            told = json.loads(service.roster("change", "--limit", "3", "--json").stdout)
            self.assertEqual(told["items"][0]["action"], "fit")


if __name__ == "__main__":
    unittest.main()
