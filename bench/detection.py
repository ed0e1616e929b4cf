"""How soon what is wrong on a link is told, and that it is over: real kernels in namespaces."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable

from tests.support.lab import Inside
from tests.support.patience import until
from tests.support.service import service
from tests.support.street import street

from even_roster.api.findings import FindingView
from even_roster.api.plan import AssignmentNew, BandNew, SubnetNew
from even_roster.api.scans import ScanRequest
from even_roster.api.watching import WatchEdit

from .table import Table

GATE, OWNER, THIEF = "02:c0:3e:77:00:01", "02:c0:9f:40:77:20", "02:c0:9f:40:77:66"


def detection(table: Table) -> None:
    """A claim whose owner is silent, a second claim, the gateway's takeover under VRRP frames, a named DHCP server."""
    with contextlib.ExitStack() as stack:
        link = stack.enter_context(street())
        link.join("10.77.0.1/24", GATE)
        owner = link.join("10.77.0.20/24", OWNER)
        here = link.join("10.77.0.5/24", "02:c0:9f:4f:77:05", gateway="10.77.0.1")
        running = stack.enter_context(service("serve", inside=here, watch=True, anew=True))
        within = stack.enter_context(contextlib.closing(Inside(here)))
        roster = within.do(running.client)
        subnet = within.do(lambda: roster.add_subnet(SubnetNew(range="10.77.0.0/24", name="Yard", gateway="10.77.0.1")))
        yard = subnet.subnet.id
        within.do(lambda: roster.assign(AssignmentNew(address="10.77.0.1", mac=GATE, name="gate", role="network")))
        within.do(lambda: roster.assign(AssignmentNew(address="10.77.0.20", mac=OWNER, name="desk")))
        within.do(lambda: roster.add_band(BandNew(subnet=yard, kind="pool", range="200-219")))
        within.do(lambda: roster.edit_watch(yard, WatchEdit(every_minutes=0, ask_minutes=0)))
        until(lambda: any(one.listening for one in within.do(roster.listening)), "nobody listens")
        scan = within.do(lambda: roster.start_scan(ScanRequest(targets=["10.77.0.0/24"], with_names=False, ports=[])))
        until(lambda: within.do(lambda: roster.scan(scan.id)).state != "running", "the scan does not end")

        def open_now(kind: str) -> FindingView | None:
            return next((f for f in within.do(lambda: list(roster.findings())) if f.kind == kind), None)

        def measure(what: str, kind: str, begin: Callable[[], float], end: Callable[[], None]) -> None:
            began = begin()
            found = until(lambda: open_now(kind), f"{kind} is not told")
            assert found is not None
            table.add(
                f"{what}: from the first frame to the finding", f"{found.since.timestamp() - began:.2f} s", "≤ 2 s"
            )
            end()
            ended = time.monotonic()
            until(lambda: open_now(kind) is None, f"{kind} does not close")
            table.add(f"{what}: from its mending to its end", f"{time.monotonic() - ended:.1f} s", "≤ 15 s")

        thief = link.join(None, THIEF)
        speakers = []

        def speak(*words: str) -> float:
            process = link.speak(thief, *words)
            speakers.append(process)
            assert process.stdout is not None
            return float(process.stdout.readline())

        def silence() -> None:
            for process in speakers:
                process.kill()

        def unplugged() -> None:
            silence()
            link.leave(thief)

        def owner_back() -> None:
            unplugged()
            owner.ip("link", "set", "eth0", "up")

        measure("the gateway taken over amid VRRP frames", "gateway-changed",
                lambda: speak("vrrp", THIEF, "10.77.0.66", "10.77.0.1"), silence)  # fmt: skip
        measure("a DHCP server that a client names", "unexpected-dhcp-server",
                lambda: speak("request", THIEF, "10.77.0.9", "10.77.0.201"), silence)  # fmt: skip
        thief.ip("address", "add", "10.77.0.20/24", "dev", "eth0")
        measure("a second device on an address", "duplicate-address",
                lambda: speak("claim", THIEF, "10.77.0.20"), unplugged)  # fmt: skip
        link.leave(owner)
        time.sleep(2)  # a round about the duplicate may be on its way
        thief.ip("link", "set", "eth0", "up")
        measure("an address taken while its owner is silent", "assignment-not-in-effect",
                lambda: speak("claim", THIEF, "10.77.0.20"), owner_back)  # fmt: skip
