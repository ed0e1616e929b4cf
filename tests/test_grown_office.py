"""The configuration of an office that has grown for years, on a real Kea: adopted, changed, published and all of it taken back."""

from __future__ import annotations

import difflib
import unittest

from even_roster.api.dhcp import DhcpServerNew
from even_roster.api.host_file import Reach, allow
from even_roster.api.plan import AssignmentEdit, AssignmentNew, BandEdit
from even_roster.client import Roster
from tests.support import dhcp_lab
from tests.support.dhcp_lab import Link
from tests.support.lab import needs_lab
from tests.support.service import service
from tests.test_dhcp_servers import needs_kea

BESIDE = "link"

PHONES = range(50, 70)
LAPTOP, PHONE = "02:c0:9f:a0:00:6b", "02:c0:50:00:00:01"


def octet(address: str) -> int:
    return int(address.rpartition(".")[2])


@needs_lab
@needs_kea
class GrownOffice(unittest.TestCase):
    def everybody(self, on: Link, guests: range) -> None:
        """Each of the office gets what is meant for it, and nobody else's."""
        self.assertEqual(on.ask("02:c0:44:00:00:01")["acked"], "10.44.10.30")
        self.assertEqual(on.ask("02:c0:44:00:00:02")["acked"], "10.44.10.31")
        self.assertEqual(on.ask("02:c0:44:00:00:99", client_id="01:02:c0:44:00:00:03")["acked"], "10.44.10.32")
        self.assertIn(octet(on.ask(PHONE, vendor="tone 3")["acked"]), PHONES)
        for number in range(6):
            self.assertIn(octet(on.ask(f"02:c0:9f:00:00:0{number}", request=False)["offered"]), guests)
        self.assertEqual(on.ask(LAPTOP, client=self.laptop)["kind"], "ACK", "who has an address keeps it")

    def test_it_is_adopted_changed_published_and_taken_back_octet_for_octet(self) -> None:
        with dhcp_lab.link() as on:
            text = dhcp_lab.grown_office(on.folder)
            with dhcp_lab.kea(on, text), service("serve") as running, running.client() as roster:
                path = on.folder / "kea.conf"
                paths = {"config": str(path), "socket": str(on.folder / "kea.sock")}
                allow(running.home, Reach("office", "kea", paths))
                server = roster.add_dhcp_server(DhcpServerNew(name="office"))
                self.assertEqual((server.trouble, server.held_trouble, server.not_understood), ("", "", 0))
                self.laptop = on.ask(LAPTOP)["acked"]
                self.everybody(on, range(100, 150))
                adopted = roster.dhcp_adopt(server.id, dry_run=False)
                self.assertEqual((len(adopted.subnets), len(adopted.pools), len(adopted.reservations)), (2, 3, 5))
                self.assertEqual(adopted.beside, {"class": 3, "reservation": 1})
                self.assertEqual(roster.dhcp_preview(server.id).lines, [], "what was just adopted is as planned")
                begun = roster.changes(limit=1)[0].id
                self.change(roster)
                preview = roster.dhcp_preview(server.id)
                self.assertEqual((preview.conflicts, preview.by_hand), ([], []))
                self.assertEqual(
                    sorted((line.action, line.what) for line in preview.lines),
                    [*[("add", "reservation")] * 5, ("change", "pool"), ("change", "reservation")],
                )
                roster.dhcp_publish(server.id, preview.digest)
                self.only_these_lines(text, path.read_text())
                self.everybody(on, range(100, 180))
                self.assertEqual(on.ask("02:c0:44:00:01:03")["acked"], "10.44.10.84")
                for change in roster.changes(limit=50):
                    if change.id > begun:
                        roster.undo(change.id)
                roster.dhcp_publish(server.id)
                self.assertEqual(path.read_text(), text, "octet for octet as it was")
                self.everybody(on, range(100, 150))

    def change(self, roster: Roster) -> None:
        """The guests' pool grows, five printers are reserved, one is renamed."""
        bands = roster.planned_subnet("10.44.10.0/24").bands
        guests = next(band for band in bands if band.first == "10.44.10.100")
        roster.edit_band(guests.id, BandEdit(range="10.44.10.100-10.44.10.179"))
        for number in range(5):
            mac = f"02:c0:44:00:01:0{number}"
            roster.assign(
                AssignmentNew(address=f"10.44.10.8{number + 1}", mac=mac, name=f"printer-{number + 4}", kind="reserved")
            )
        named = roster.assignment("10.44.10.31")
        roster.edit_assignment(named.id, AssignmentEdit(name="printer-attic"))

    def only_these_lines(self, before: str, after: str) -> None:
        """Nothing but the pool's end, the name, the new entries and the one mark has changed."""
        old, new = before.splitlines(), after.splitlines()
        gone = [line.strip() for line in difflib.ndiff(old, new) if line.startswith("- ")]
        came = [line.strip() for line in difflib.ndiff(old, new) if line.startswith("+ ")]
        self.assertEqual(len(gone), 2, gone)
        self.assertEqual(len(came), 8, came)
        self.assertTrue(
            any(
                '"10.44.10.100 - 10.44.10.179", "client-class": "others" } // until the new wing opens' in line
                for line in came
            ),
            came,
        )
        self.assertTrue(
            any(
                '/* second floor */ "ip-address": "10.44.10.31", "hostname": "printer-attic", "client-classes"' in line
                for line in came
            ),
            came,
        )
        self.assertEqual(sum("02:c0:44:00:01:0" in line for line in came), 5)
        self.assertEqual(sum("even-roster" in line for line in came), 1)


if __name__ == "__main__":
    unittest.main()
