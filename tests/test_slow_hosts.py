"""Hosts that take a second and a half to answer and lose a fifth of what they say: found within two looks, and never accused."""

from __future__ import annotations

import contextlib
import unittest
from collections.abc import Callable
from typing import Any

from even_roster.api.devices import StayRow
from even_roster.api.plan import AssignmentNew, SubnetNew
from even_roster.api.scans import ScanRequest
from even_roster.api.watching import WatchEdit
from even_roster.client import Roster
from tests.support.lab import Inside, T, namespace, needs_lab, tap_hosts
from tests.support.patience import until
from tests.support.service import service

BESIDE = "link"

HOSTS = 12


@needs_lab
class SlowHosts(unittest.TestCase):
    def test_slow_and_lossy_hosts_are_found_within_two_looks_and_never_accused(self) -> None:
        with contextlib.ExitStack() as stack:
            here = stack.enter_context(namespace())
            slow = ("--delay", "1.5", "--lose", "0.2")
            stack.enter_context(tap_hosts(here, "10.77.4.5/24", HOSTS, *slow))
            running = stack.enter_context(service("serve", inside=here, watch=True))
            inside = Inside(here)
            stack.callback(inside.close)
            roster = inside.do(running.client)

            def do(work: Callable[[Roster], T]) -> T:
                return inside.do(lambda: work(roster))

            def look() -> None:
                order = ScanRequest(targets=["10.77.4.0/27"], pace=500, with_names=False, ports=[])
                info = do(lambda r: r.start_scan(order))
                until(lambda: do(lambda r: r.scan(info.id)).state != "running", "the scan does not end")

            def assign(new: AssignmentNew) -> None:
                do(lambda r: r.assign(new))

            def history(address: str) -> list[StayRow]:
                return do(lambda r: r.history(address)).stays

            def seen() -> dict[str | None, Any]:
                rows = do(lambda r: list(r.devices()))
                return {row.address: row.last_seen for row in rows if row.address in found}

            subnet = do(lambda r: r.add_subnet(SubnetNew(range="10.77.4.0/24", name="Attic"))).subnet.id
            do(lambda r: r.edit_watch(subnet, WatchEdit(every_minutes=0, light_minutes=0, ask_minutes=0)))
            look()
            look()
            found = {row.address: row.mac for row in do(lambda r: list(r.devices())) if row.address != "10.77.4.5"}
            self.assertEqual(sorted(found), sorted(f"10.77.4.{10 + n}" for n in range(HOSTS)))
            for address, mac in found.items():
                new = AssignmentNew(address=address, mac=mac, name=f"slow-{str(address).rpartition('.')[2]}")
                assign(new)
            do(lambda r: r.edit_watch(subnet, WatchEdit(light_minutes=1)))
            told: set[tuple[str, str]] = set()
            before = seen()

            def looked() -> bool:
                told.update((f.kind, f.subjects[0].value) for f in do(lambda r: r.findings(state="open")))
                return all(last != before[address] for address, last in seen().items())

            until(
                looked,
                lambda: f"no light look asks all: {[a for a, at in seen().items() if at == before[a]]} of {before}",
                pause=1.0,
            )
            self.assertEqual(told, set(), "nobody is accused for being slow")
            self.assertEqual(
                {row.address for row in do(lambda r: list(r.devices(expected=False)))} - {"10.77.4.5"}, set(found)
            )
            for address in found:
                ended = {stay.ended for stay in history(str(address))}
                self.assertEqual(ended, {""}, f"{address} is not taken to be gone")
            why = do(lambda r: r.why("10.77.4.12"))
            self.assertTrue(why.answers, why.checks)
            self.assertIn("slowly, after 1.", why.verdict)


if __name__ == "__main__":
    unittest.main()
