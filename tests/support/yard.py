"""A street with one service that listens and watches by itself, for tests of what it tells about what happens there."""

from __future__ import annotations

import contextlib
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path

from even_roster.api.findings import FindingView
from even_roster.api.plan import AssignmentNew, SubnetNew
from even_roster.api.scans import ScanRequest
from even_roster.api.watching import WatchEdit
from even_roster.client import Roster

from .lab import Inside, Namespace, T
from .patience import until
from .service import Service, service
from .street import Street, street

GATE, ALPHA, BETA, TWIN = "02:c0:3e:77:00:01", "02:c0:9f:40:77:20", "02:c0:9f:40:77:21", "02:c0:9f:40:77:99"
Findings = set[tuple[str, str]]
PROMPT = 15.0  # what is promised is two seconds; a test machine may be slow


class Yard(unittest.TestCase):
    """A street with a gateway and two hosts of the plan, and one service there that listens and watches by itself."""

    def setUp(self) -> None:
        self.stack = contextlib.ExitStack()
        self.addCleanup(self.stack.close)
        self.street: Street = self.stack.enter_context(street())
        self.street.join("10.77.0.1/24", GATE)
        self.street.join("10.77.0.20/24", ALPHA)
        self.beta = self.street.join("10.77.0.21/24", BETA)
        self.here: Namespace = self.street.join("10.77.0.5/24", "02:c0:9f:4f:77:05", gateway="10.77.0.1")
        self.inside = Inside(self.here)
        self.stack.callback(self.inside.close)
        self.home = Path(self.stack.enter_context(tempfile.TemporaryDirectory())) / "home"
        self.running = self.stack.enter_context(contextlib.ExitStack())
        self.start()
        subnet = self.do(
            lambda r: r.add_subnet(SubnetNew(range="10.77.0.0/24", name="Yard", gateway="10.77.0.1"))
        ).subnet.id
        for address, mac, name, role in (
            ("10.77.0.1", GATE, "gate", "network"), ("10.77.0.20", ALPHA, "alpha", ""), ("10.77.0.21", BETA, "beta", ""),
        ):  # fmt: skip
            self.assign(address, mac, name, role)
        self.do(lambda r: r.edit_watch(subnet, WatchEdit(every_minutes=0, ask_minutes=0)))

    def start(self) -> None:
        """Let the service run, anew when it ran before."""
        self.running.close()
        self.service: Service = self.running.enter_context(
            service("serve", home=self.home, inside=self.here, watch=True)
        )
        self.roster = self.inside.do(self.service.client)

    def do(self, work: Callable[[Roster], T]) -> T:
        """A call of the client, made inside the service's namespace."""
        return self.inside.do(lambda: work(self.roster))

    def assign(self, address: str, mac: str, name: str, role: str = "") -> None:
        self.do(lambda r: r.assign(AssignmentNew(address=address, mac=mac, name=name, role=role)))

    def look(self, targets: str = "10.77.0.0/24") -> None:
        """A full scan."""
        info = self.do(lambda r: r.start_scan(ScanRequest(targets=[targets], pace=2000, with_names=False, ports=[])))
        until(lambda: self.do(lambda r: r.scan(info.id)).state != "running", "the scan does not end")

    def findings(self) -> tuple[Findings, list[FindingView]]:
        found = self.do(lambda r: list(r.findings()))
        return {(f.kind, f.subjects[0].value) for f in found}, found

    def until(self, wanted: Findings, do: Callable[[], None] = lambda: None) -> list[FindingView]:
        """Wait until exactly these findings are open."""
        found: list[FindingView] = []

        def there() -> bool:
            kinds, found[:] = self.findings()
            if kinds != wanted:
                do()
            return kinds == wanted

        until(there, lambda: f"open: {found}\nwanted: {wanted}", pause=0.1)
        return found

    def listening(self) -> None:
        """Until the service listens: it looks for adapters of known subnets every few seconds."""
        until(lambda: any(one.listening for one in self.do(lambda r: r.listening())), "nobody listens")

    def step(self, found: FindingView, action: str, which: int = 0) -> None:
        """Press one of a finding's remedies."""
        chosen = [step for step in found.steps if step.action == action][which]
        self.do(lambda r: r.do_step(found.id, chosen.key))
