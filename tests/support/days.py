"""Simulated days: the real service's parts on a simulated site whose clock jumps from one piece of work to the next.

The machine's wall clock, the steady clock and the site's clock are one. What the service would do by itself over days is
done here in the same order by the same parts: scans, light checks, DHCP questions, leases, listening, rules.
"""

from __future__ import annotations

import asyncio
import contextlib
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from unittest.mock import patch

from even_roster.api.scans import ScanRequest
from even_roster.probe.listen import Ear
from even_roster.service import context as contexts
from even_roster.service.context import Context, open_context
from even_roster.service.demo.larkspur_plan import plan_larkspur
from even_roster.service.demo.site_setup import give_prefixes
from even_roster.service.dhcp.dhcp_servers import DhcpServers
from even_roster.service.knowing import findings_book
from even_roster.service.scans.running_scans import RunningScans
from even_roster.service.settings import Settings
from even_roster.service.watching.listening import Listening
from even_roster.service.watching.watcher import Watcher
from even_roster.standin import larkspur
from even_roster.standin.segment import StandinMachine
from even_roster.standin.site import Site

from .clock import FakeClock

EPOCH_MS = 1_800_000_000_000


class Days:
    """A service on a simulated site, with time in the hand of a test."""

    def __init__(self, context: Context, site: Site, clock: FakeClock, loop: asyncio.AbstractEventLoop) -> None:
        self.context, self.site, self.clock, self.loop = context, site, clock, loop
        self.scans = RunningScans(context)
        self.watcher = Watcher(context, self.scans)
        self.dhcp = DhcpServers(context)
        self.listening = Listening(context, lambda: None)

    def restart(self) -> None:
        """The service ends and begins again on the same home."""
        settings, machine = self.context.settings, self.context.machine
        self.context.close()
        self.__init__(open_context(settings, machine, self.clock), self.site, self.clock, self.loop)  # type: ignore[misc]

    def run(self, work: object) -> object:
        """Run a coroutine."""
        return self.loop.run_until_complete(work)  # type: ignore[arg-type]

    def sleep(self, seconds: float) -> None:
        """Let time pass in which nothing is looked at."""
        self.clock.sleep(seconds)

    def settle(self, *, everything: bool = False) -> None:
        """Run the rules, and the directed rounds they ask for."""
        self.watcher.know_links()
        findings = self.context.findings
        findings.settle(everything=everything)
        addresses, servers, proxies = self.watcher._in_question(True)
        for mac, asked in proxies:
            self.run(self.watcher._ask_proxy(mac, asked))
        for subnet in servers:
            self.run(self.watcher._ask_again(subnet))
        if addresses:
            self.run(self.watcher.confirm(addresses))
        if addresses or proxies or servers:
            findings.settle()

    def scan(self, *subnets: str, names: bool = False) -> None:
        """Full scans, one after the other, as the schedule makes them; names are asked for in real time, so only once."""

        async def one(target: str) -> None:
            info = await self.scans.start(
                ScanRequest(targets=[target], ports=[], with_names=names, pace=5000), "schedule"
            )
            await self.scans.wait(info.id)

        for subnet in subnets:
            self.run(one(subnet))

    def ask(self) -> None:
        """A question for DHCP servers on every link."""
        for adapter in self.site.adapters:
            self.run(self.watcher.ask(adapter, adapter.networks[0], 1.0))

    def leases(self) -> None:
        """Read the DHCP servers."""
        self.dhcp._read_all()

    def listen(self, seconds: float) -> None:
        """Hear what is said on the links for so long."""
        since = self.site.elapsed()
        self.clock.sleep(seconds)
        until = self.site.elapsed()
        own = frozenset(a.mac.value for a in self.site.adapters if a.mac is not None)
        for adapter in self.site.adapters:
            ear = Ear(own, tuple(adapter.networks))
            for _, frame in self.site.overheard(adapter.name, since, until):
                ear.take(frame)
            self.listening.take(adapter.name, ear.batch(contexts.now_ms()), 0)
        self.listening._store()

    def hours(self, hours: int, subnets: list[str], *, scan_every: int, step: int = 1) -> None:
        """So many hours, looked at every `step`: leases, listening for a moment, a DHCP question; a full scan every
        so many hours."""
        for hour in range(0, hours, step):
            self.leases()
            self.listen(40)
            self.settle()
            self.sleep(step * 3600 - 40 - 600)
            self.leases()
            self.listen(40)
            self.settle()
            self.ask()
            if hour % scan_every == 0:
                self.scan(*subnets)
            self.settle(everything=True)
            self.sleep(560)

    def standing(self, state: str = "open") -> list[tuple[str, str]]:
        """The kinds of findings in a state, each with its first subject."""
        found = self.context.findings.engine.standing.values()
        return sorted((f.kind, f.subjects[0].value) for f in found if f.state.value == state)

    def told(self) -> str:
        """All standing findings with their evidence, for a failing test."""
        return "\n".join(
            f"{f.state} {f.kind} {[s.value for s in f.subjects]}: {[e.said for e in f.evidence]}"
            for f in self.context.findings.engine.standing.values()
        )


def hall(clock: FakeClock) -> Site:
    """Larkspur Hall, on a clock in the hand of a test."""
    with patch("time.time", return_value=EPOCH_MS / 1000):
        return larkspur.build(clock=clock, sleep=clock.sleep)


def prepared(context: Context, site: Site) -> None:
    """Its vendors and its plan."""
    give_prefixes(context, larkspur.VENDORS.values())
    plan_larkspur(context, site)


@contextlib.contextmanager
def days(make: Callable[[FakeClock], Site], prepare: Callable[[Context, Site], None]) -> Iterator[Days]:
    """A service on the site that `make` builds, prepared by `prepare` (its plan)."""
    clock = FakeClock(10_000.0)
    start = clock.now
    loop = asyncio.new_event_loop()
    with (
        tempfile.TemporaryDirectory() as folder,
        patch.object(findings_book, "REST_SECONDS", 0.0),
        patch.object(contexts, "wall_ns", lambda: (EPOCH_MS + round((clock.now - start) * 1000)) * 1_000_000),
    ):
        site = make(clock)
        settings = Settings(home=Path(folder) / "home", watch=False)
        context = open_context(settings, StandinMachine(site), clock)
        try:
            prepare(context, site)
            made = Days(context, site, clock, loop)
            yield made
            context = made.context
        finally:
            loop.run_until_complete(loop.shutdown_default_executor())
            loop.close()
            context.close()
