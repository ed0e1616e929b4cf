"""Two real Kea servers that stand in for each other are told the same, or neither is told anything."""

from __future__ import annotations

import tempfile
import unittest
from collections.abc import Sequence
from dataclasses import dataclass, field
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path
from types import SimpleNamespace
from typing import Any
from unittest.mock import Mock

from even_roster.api.dhcp import DhcpServerNew
from even_roster.api.host_file import Reach, allow
from even_roster.client import RosterError
from even_roster.core.address import address_of
from even_roster.core.dhcp import Reservation, Scope
from even_roster.core.mac import Mac, MacNumber
from even_roster.core.plan.following import Lease
from even_roster.dhcp.kea import KeaServer
from even_roster.dhcp.pair import PairServer
from even_roster.dhcp.server import Owned, ServerTrouble, Texts, There, publish
from tests.support import dhcp_lab
from tests.support.dhcp_lab import Link, kea_command
from tests.support.lab import needs_lab
from tests.support.service import Service
from tests.test_dhcp_servers import LAPTOP, beside, needs_kea, reserve

BESIDE = "link"


def reserved(end: Link) -> list[str]:
    """The addresses that a server runs reservations of, by its own word."""
    (subnet,) = kea_command(end, "config-get")["arguments"]["Dhcp4"]["subnet4"]
    return [one["ip-address"] for one in subnet["reservations"]]


@dataclass(frozen=True, slots=True)
class Fails(KeaServer):
    """One that fails at a step of publishing."""

    at: str = ""
    seen: list[str] = field(default_factory=list)

    def write(self, before: Texts, after: Texts) -> str:
        self.seen.append("write")
        if self.at == "write":
            raise ServerTrouble("no room")
        return KeaServer.write(self, before, after)

    def read(self, owned: Owned, hints: Sequence[IPv4Network]) -> There:
        if self.at == "read back" and self.seen:
            raise ServerTrouble("it is away")
        return KeaServer.read(self, owned, hints)


class Steps(unittest.TestCase):
    def test_where_one_fails_both_have_what_they_had(self) -> None:
        for at in ("write", "read back"):
            for failing in (0, 1):
                with self.subTest(at=at, failing=failing), tempfile.TemporaryDirectory() as folder:
                    paths = [Path(folder) / "a.conf", Path(folder) / "b.conf"]
                    for path in paths:
                        path.write_text(dhcp_lab.kea_config(Path("/nowhere")))
                    one, two = (
                        Fails(path, check_command=("true",), at=at if number == failing else "")
                        for number, path in enumerate(paths)
                    )
                    pair = PairServer(one, two, ("a", "b"))
                    (there,) = pair.read({}, []).scopes
                    entry = Reservation(Mac.parse(LAPTOP).value, address_of(IPv4Address("10.44.10.181")))
                    wanted = Scope(
                        there.scope.network, there.scope.pools, there.scope.options, (*there.scope.reservations, entry)
                    )
                    with self.assertRaisesRegex(ServerTrouble, "ab"[failing] + ": "):
                        publish(pair, [wanted], {}, None)
                    for path in paths:
                        self.assertEqual(path.read_text(), dhcp_lab.kea_config(Path("/nowhere")))

    def test_leases_are_those_of_either_and_the_longer_one_counts(self) -> None:
        address = address_of(IPv4Address("10.44.10.120"))

        def telling(*leases: Lease) -> Any:
            return SimpleNamespace(leases=lambda: list(leases))

        def away() -> Any:
            return SimpleNamespace(leases=Mock(side_effect=ServerTrouble("it is away")))

        short, long = Lease(address, MacNumber(1), "", 5), Lease(address, MacNumber(2), "", None)
        for first, second in (
            (telling(short), telling(long)),
            (telling(long), telling(short)),
            (telling(long), away()),
        ):
            self.assertEqual(PairServer(first, second, ("a", "b")).leases(), [long])
        with self.assertRaisesRegex(ServerTrouble, "a: it is away"):
            PairServer(away(), away(), ("a", "b")).leases()


@needs_lab
@needs_kea
class Pair(unittest.TestCase):
    def allowed(self, running: Service, *ends: Link) -> DhcpServerNew:
        for end, other in zip(ends, reversed(ends), strict=True):
            paths = {"config": "kea.conf", "socket": "kea.sock", "leases": "leases.csv"}
            values = {name: str(end.folder / file) for name, file in paths.items()}
            allow(running.home, Reach(end.folder.name, "kea", {**values, "partner": other.folder.name}))
        return DhcpServerNew(name="office", reach="a")

    def test_both_are_told_the_same_and_neither_when_one_cannot_be(self) -> None:
        with dhcp_lab.link() as on, dhcp_lab.kea_pair(on) as (a, b), beside(on) as running, running.client() as roster:
            first = on.ask(LAPTOP)["acked"]
            server = roster.add_dhcp_server(self.allowed(running, a, b))
            self.assertEqual((server.trouble, server.held_trouble, server.not_understood), ("", "", 0))
            self.assertEqual(
                {one.reach: one.used_by and one.used_by.id for one in roster.dhcp_allowed()},
                {"a": server.id, "b": server.id},
            )
            roster.dhcp_adopt(server.id, dry_run=False)
            self.assertEqual(roster.dhcp_preview(server.id).lines, [])
            before = {end: Path(end.folder / "kea.conf").read_text() for end in (a, b)}
            roster.assign(reserve(LAPTOP, "10.44.10.181"))
            done = roster.dhcp_publish(server.id, roster.dhcp_preview(server.id).digest)
            self.assertIn("both checked by the server (config-test)", done.remarks)
            for end in (a, b):
                self.assertIn("10.44.10.181", reserved(end), end.folder.name)
            self.assertEqual(on.ask(LAPTOP)["acked"], "10.44.10.181")
            roster.dhcp_read(server.id)
            self.assertIn("10.44.10.181", [lease.address for lease in roster.dhcp_leases()])
            self.assertNotEqual(first, "10.44.10.181")
            roster.release(roster.assignment("10.44.10.181").id)
            roster.dhcp_publish(server.id)
            for end in (a, b):
                self.assertEqual(Path(end.folder / "kea.conf").read_text(), before[end], "octet for octet as it was")
            # The second cannot be written: then the first is as it was.
            roster.assign(reserve(LAPTOP, "10.44.10.182"))
            conf = b.folder / "kea.conf"
            conf.rename(b.folder / "elsewhere")
            with self.assertRaisesRegex(RosterError, "b: "):
                roster.dhcp_publish(server.id)
            (b.folder / "elsewhere").rename(conf)
            self.assertEqual(Path(a.folder / "kea.conf").read_text(), before[a])
            self.assertNotIn("10.44.10.182", reserved(a))
            # Somebody edits one of the two alone.
            conf.write_text(conf.read_text().replace("10.44.10.199", "10.44.10.190"))
            kea_command(b, "config-reload")
            with self.assertRaisesRegex(RosterError, "a and b stand in for each other, but differ in 10.44.10.0/24"):
                roster.dhcp_preview(server.id)
            roster.dhcp_read(server.id)
            self.assertIn("differ in", roster.dhcp_servers()[0].held_trouble)
            self.assertTrue(roster.dhcp_leases(), "leases are told by either")


if __name__ == "__main__":
    unittest.main()
