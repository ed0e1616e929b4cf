"""One way to name a thing: what may be changed by which name, what is only found by it, and what is never guessed."""

from __future__ import annotations

import unittest
from typing import Any

import httpx

from even_roster.api.devices import DeviceEdit, DeviceNew
from even_roster.api.plan import AssignmentNew, BandEdit, BandNew, SubnetEdit, SubnetNew
from even_roster.client import Ambiguous, BadInput, Conflict, NotFound, Roster
from tests.support.service import Service, demo

BESIDE = "anything"

PRINTER = "02:c0:44:00:00:26"


class Names(unittest.TestCase):
    service: Service
    roster: Roster

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(watch=False))
        cls.roster = cls.enterClassContext(cls.service.client())
        cls.service.json("scan", "10.44.10.0/24")

    def test_a_device_is_changed_by_what_people_and_makers_gave_it(self) -> None:
        identity = self.roster.device(PRINTER).device.id
        self.roster.edit_device(identity, DeviceEdit(name="Box office / left"))
        for which in (
            identity, str(identity), f"'{identity}'", "Box office / left", "box OFFICE / left", '"Box office / left"', "printer-1",
            "printer-1.larkspur.example", PRINTER, "MAC: 02-C0-44-00-00-26", "0x02C044000026", "'02c0.4400.0026'",
        ):  # fmt: skip
            with self.subTest(which):
                self.assertEqual(self.roster.edit_device(which, DeviceEdit(place="Counter")).id, identity)
                self.assertEqual(self.roster.device(which).device.id, identity)

    def test_what_can_change_or_be_forged_finds_a_device_and_changes_none(self) -> None:
        shown = self.roster.device("10.44.10.61").device
        heard = next(row for row in self.roster.devices() if row.called_because.startswith("heard"))
        for which, found in (("10.44.10.61", shown), (heard.called, heard)):
            with self.subTest(which):
                self.assertEqual(self.roster.device(which).device.id, found.id)
                with self.assertRaisesRegex(
                    BadInput, "name the device by its id, MAC or a name that it was given"
                ) as told:
                    self.roster.edit_device(which, DeviceEdit(place="Elsewhere"))
                self.assertEqual([one.id for one in told.exception.problem.candidates or ()], [found.id])
        for action in (
            lambda which: self.roster.retire_device(which),
            lambda which: self.roster.join_devices(PRINTER, [which]),
            lambda which: self.roster.split_device(which, [PRINTER]),
            lambda which: self.roster.replace_device(which, "02:c0:44:00:99:99"),
        ):
            with self.assertRaises((BadInput, NotFound)):
                action(heard.called)
            with self.assertRaises(NotFound):
                action("rinter-")

    def test_a_name_that_another_device_sends_takes_nothing_from_its_owner(self) -> None:
        """A hand's name counts before a planned one of another device only by being told: both are listed, none is taken."""
        spare = self.roster.add_device(DeviceNew(name="printer-2")).device
        with self.assertRaises(Ambiguous) as told:
            self.roster.edit_device("printer-2", DeviceEdit(place="Attic"))
        meant = told.exception.problem.candidates or []
        self.assertEqual(len(meant), 2)
        self.assertIn(spare.id, [one.id for one in meant])
        self.assertTrue(all(one.name == "printer-2" for one in meant))
        self.assertTrue(any(one.address and one.mac for one in meant))
        self.roster.retire_device(spare.id)
        self.assertNotEqual(self.roster.device("printer-2").device.id, spare.id, "those in the lists come first")

    def test_a_number_is_an_id_and_a_fragment_of_one_device_is_read(self) -> None:
        for which in ("999999", "02:c0:44:12:34:56", "nobody-of-that-name", ""):
            with self.subTest(which), self.assertRaises((NotFound, BadInput, Conflict)):
                self.roster.edit_device(which or " ", DeviceEdit(place="x"))
        self.assertEqual(self.roster.device("rinter-1").device.mac, PRINTER)
        with self.assertRaisesRegex(NotFound, r"; is it printer-1( |\?)|is it .*printer-1"):
            self.roster.device("prnter-1")
        with self.assertRaisesRegex(Ambiguous, "means .* devices: "):
            self.roster.device("desk-")

    def test_subnets_and_bands_go_by_name_within_what_they_are_in(self) -> None:
        for range_, name in (("10.60.0.0/24", "Mill"), ("10.60.1.0/24", "Weir")):
            self.roster.add_subnet(SubnetNew(range=range_, name=name))
            self.roster.add_band(BandNew(subnet=name, kind="static", range="20-40", name="looms"))
        self.assertEqual(self.roster.edit_subnet("10.60.0.0/24", SubnetEdit(notes="by the river")).subnet.name, "Mill")
        self.assertEqual(self.roster.edit_subnet("mill", SubnetEdit(notes="")).subnet.name, "Mill")
        self.assertEqual(self.roster.planned_subnet("10.60.0.30").subnet.name, "Mill")
        self.assertEqual(self.roster.planned_subnet("10.60.0.20-10.60.0.40").subnet.name, "Mill")
        for which in ("10.60.0.30", "10.60.0.20-10.60.0.40", "Mil"):
            with self.subTest(which), self.assertRaises((NotFound, BadInput)):
                self.roster.edit_subnet(which, SubnetEdit(notes="x"))
        with self.assertRaisesRegex(Ambiguous, r"means 2 bands: .*looms.* of Mill .*looms.* of Weir"):
            self.roster.edit_band("looms", BandEdit(notes="x"))
        self.assertEqual(self.roster.edit_band("looms", BandEdit(notes="x"), within="Weir").first, "10.60.1.20")
        self.assertEqual(self.roster.edit_band("10.60.0.20-10.60.0.40", BandEdit(notes="x")).first, "10.60.0.20")
        self.assertEqual(self.roster.bands("Weir")[0].name, "looms")
        with self.assertRaisesRegex(NotFound, "no DHCP server 'atic'"):
            self.roster.edit_band("looms", BandEdit(server="atic"), within="Weir")

    def test_addresses_are_what_is_released_and_a_hostname_stands_for_its_own(self) -> None:
        self.roster.assign(AssignmentNew(address="10.44.10.201", name="kettle"))
        self.assertEqual(self.roster.assignment("kettle").address, "10.44.10.201")
        self.assertEqual(self.roster.card("kettle").address, "10.44.10.201")
        self.assertEqual(self.roster.why("printer-1").address, "10.44.10.30")
        self.assertIn("10.44.10.30", self.roster.explain("printer-1").subject)
        self.roster.release("10.44.10.201")
        with self.assertRaises(NotFound):
            self.roster.assignment("kettle")

    def test_an_address_that_several_had_names_none_of_them(self) -> None:
        self.service.json("scan", "10.44.20.41")
        rack = self.roster.device("dimmer-rack-2").device
        self.roster.release("10.44.20.41")
        with self.assertRaises(BadInput) as told:
            self.roster.assign(AssignmentNew(kind="static", address="10.44.20.49", device="10.44.20.41"))
        for refused in (
            self.roster.settle(["10.44.20.41"], dry_run=True).devices[0].why_not, str(told.exception),
        ):  # fmt: skip
            self.assertIn("name the device by its id, MAC or a name", refused)
            self.assertIn(f"{rack.mac}", refused)
        (kept,) = self.roster.settle([str(rack.mac)], dry_run=True).devices
        self.assertEqual((kept.device and kept.device.id, kept.why_not), (rack.id, ""))
        self.roster.undo(self.roster.changes(limit=1)[0].id)
        (kept,) = self.roster.settle(["10.44.20.41"], dry_run=True).devices
        self.assertEqual(kept.device and kept.device.id, rack.id, "by the plan it is its owner's, whoever answers")

    def test_a_device_without_an_address_is_said_to_have_none(self) -> None:
        self.roster.add_device(DeviceNew(name="carton"))
        for ask in (self.roster.why, self.roster.card, self.roster.explain):
            with self.assertRaisesRegex(NotFound, "has no address"):
                ask("carton")

    def test_lists_are_narrowed_by_the_name_of_a_subnet_or_band(self) -> None:
        office = {row.id for row in self.roster.devices(range="10.44.10.0/24")}
        self.assertEqual({row.id for row in self.roster.devices(range="Office")}, office)
        printers = [row.address for row in self.roster.devices(range="printers")]
        self.assertTrue(printers and set(printers) < {row.address for row in self.roster.devices(range="Office")})
        with self.assertRaisesRegex(NotFound, "is it Office"):
            list(self.roster.devices(range="Ofice"))

    def test_servers_go_by_name(self) -> None:
        (server,) = self.roster.dhcp_servers()
        self.assertEqual(self.roster.dhcp_holdings(server.name.upper()).page.server.id, server.id)
        with self.assertRaisesRegex(NotFound, "no DHCP server 'legder'; is it ledger"):
            self.roster.dhcp_preview("legder")

    def test_who_may_not_come_in_learns_no_names(self) -> None:
        for path in (
            "/api/v1/devices/printer-1",
            "/api/v1/devices/nobody",
            "/api/v1/plan/subnets/Office",
            "/api/v1/bands/printers",
        ):
            answer: Any = httpx.get(self.service.url + path)
            self.assertEqual((answer.status_code, answer.json()["code"]), (401, "not_signed_in"), path)


if __name__ == "__main__":
    unittest.main()
