"""Reads the switches that are kept, each when it is due, several side by side; a switch is never read twice at once.

Who refuses is asked once an hour, by the service as well as by its own trying of credentials: wrong ones lock accounts and raise
alarms. Before readings the known devices of the own links are asked for, so that forwarding tables hold them.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections import defaultdict
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from ipaddress import IPv4Address

from ...api.switches import Credential
from ...core.address import Address, dotted
from ...core.findings.wiring import Name, Trouble
from ...core.switches.reading import Reading
from ...probe.segment import SegmentError
from ...probe.snmp_agent import AgentError, Refused
from ...store import scan_records
from ...store.edits import EditError
from ...store.switch_records import SwitchRow
from ..aids.repeating import attempt, attempt_here
from ..context import Context, now_ms
from ..knowing.switch_book import REST
from ..knowing.switch_now import SwitchNow
from ..watching.watcher import Watcher
from ..web.problems import Refusal
from . import agent_reading, credential_edits, switch_findings

TURN_SECONDS = 0.5
AT_ONCE = 8
HOUR_MS = 3_600_000
TOLD_SECONDS = 60.0
FILL_SECONDS = 240.0
FILL_MOST = 512
DAY_MS = 24 * HOUR_MS


@dataclass(frozen=True, slots=True)
class Unread:
    """Why a switch could not be read; `refused` when it said so itself, or never answered to what it was asked by."""

    why: str
    refused: bool


class SwitchReader:
    """The reading of one service."""

    def __init__(
        self, context: Context, watcher: Watcher, more: Callable[[Context], dict[Name, Trouble]]
    ) -> None:  # fmt: skip
        self._context, self._watcher, self._more = context, watcher, more
        self._gate = asyncio.Semaphore(AT_ONCE)
        self._turns: defaultdict[int, asyncio.Lock] = defaultdict(asyncio.Lock)
        self._filling = asyncio.Lock()
        self._filled = float("-inf")
        self._tasks: set[asyncio.Task[None]] = set()
        self._turning: asyncio.Task[None] | None = None
        self._silent: dict[int, int] = {}
        self._told_at, self._telling = float("-inf"), 0.0
        self._busy = 0
        self.reading: set[int] = set()
        self.after: list[Callable[[int, int], Awaitable[None]]] = []
        """Who is told of each reading that came about: the switch's id, and when it began (UTC ms)."""

    def begin(self) -> None:
        """Read from now on, where the service watches by itself at all; what turned is told always."""
        self._turning = asyncio.create_task(self._turn(), name="switches")

    async def close(self) -> None:
        """Stop."""
        for task in (*self._tasks, *([self._turning] if self._turning is not None else ())):
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task

    async def _turn(self) -> None:
        while True:
            await attempt_here(self._begin_due(), "switches could not be begun with")
            await attempt_here(self._settle(), "what switches said could not be looked at")
            await asyncio.sleep(TURN_SECONDS)

    async def _begin_due(self) -> None:
        for identity, switch in self._context.switches.switches.items():
            if self._due(switch.row):
                self.reading.add(identity)
                task = asyncio.create_task(attempt_here(self._one(identity), "a switch could not be read"))
                self._tasks.add(task)
                task.add_done_callback(self._tasks.discard)

    async def _settle(self) -> None:
        """What turned is weighed and told, and once a minute what time alone has turned."""
        book, now = self._context.switches, self._context.monotonic()
        await self.weigh()
        if now - self._told_at < (REST * self._telling if book.untold else TOLD_SECONDS):
            return
        book.untold = False
        await attempt(
            lambda: switch_findings.tell(self._context, self._more), "what is wrong with switches could not be told"
        )
        self._told_at = self._context.monotonic()
        self._telling = self._told_at - now

    def _due(self, row: SwitchRow) -> bool:
        if (
            not self._context.settings.watch
            or not row.on
            or row.id in self.reading
            or self._turns[row.id].locked()
            or row.site != self._context.plan.site_here
        ):
            return False
        now = now_ms()
        if row.refused is not None:
            return now - row.refused >= HOUR_MS or now < row.refused
        wait = min(
            row.every_seconds * 1000 * 2 ** min(self._silent.get(row.id, 0), 10), max(HOUR_MS, row.every_seconds * 1000)
        )
        return row.asked is None or now - row.asked >= wait or now < row.asked

    async def _one(self, identity: int) -> None:
        try:
            await self.read(identity)
        except (Refusal, EditError):
            pass  # it stands at the switch
        finally:
            self.reading.discard(identity)

    async def read(self, identity: int, by: int | None = None) -> None:
        """Read a switch now, `by` a credential for this once; who reads it already is waited for. Raises Refusal where it cannot
        be read."""
        turn = self._turns[identity]
        if turn.locked() and by is None:
            async with turn:
                switch = self._context.switches.switches.get(identity)
                if switch is not None and switch.row.trouble:
                    raise Refusal(422, "agent", switch.row.trouble, "switch")
                return
        self._busy += 1
        try:
            async with turn:
                await self.fill()
                async with self._gate:
                    await self._read(identity, by)
        finally:
            self._busy -= 1
        if not self._busy:  # of several that are read side by side the last one has them weighed
            await self.weigh()

    async def weigh(self) -> None:
        """Weigh which ports are uplinks, where that waits."""
        if self._context.switches.unweighed:
            await attempt(self._context.switches.weigh, "uplinks could not be weighed")

    async def _read(self, identity: int, by: int | None) -> None:
        switch = self._context.switches.switches.get(identity)
        if switch is None:
            return
        at, row = now_ms(), switch.row
        ways = await asyncio.to_thread(self._ways, row, by)
        told = await self.ask(row.address, ways)
        if isinstance(told, Unread) and by is not None:
            raise Refusal(422, "agent", told.why, "credential")  # that it is not read by this one is not its trouble
        if isinstance(told, Unread):
            refused = told.refused or (row.works is None and len(ways) > 0)
            self._silent[identity] = self._silent.get(identity, 0) + 1
            await asyncio.to_thread(self._context.switches.failed, identity, told.why, at, refused=refused)
            raise Refusal(422, "agent", told.why, "switch")
        self._silent.pop(identity, None)
        reading, works = told
        if by is not None and not _as_much(switch, reading):
            raise Refusal(
                422, "agent", f"{dotted(row.address)} tells this credential less than is known of it", "credential"
            )
        if not reading.ports:
            why = (
                f"{dotted(row.address)} answers, and tells nothing of its interfaces: its credential may see too little"
            )
            await asyncio.to_thread(self._context.switches.failed, identity, why, at, refused=False)
            raise Refusal(422, "agent", why, "switch")
        if (other := self.same_agent(reading, row.address)) is not None:
            why = (
                f"it is {other.called}, which is read already at {dotted(other.row.address)}; if it moved, "
                f"'roster switch set {other.called} --address {dotted(row.address)}'"
            )
            await asyncio.to_thread(self._context.switches.failed, identity, why, at, refused=False)
            raise Refusal(422, "agent", why, "switch")
        await asyncio.to_thread(
            self._context.switches.take, identity, reading, now_ms(), row.works if by is not None else works, works,
            sure=agent_reading.authenticates(ways[works]),
        )  # fmt: skip
        for told_of in self.after:
            await told_of(identity, at)

    def same_agent(self, reading: Reading, address: Address) -> SwitchNow | None:
        """The switch that is read already by another of its addresses, None where there is none."""
        own = {one for one in (*reading.addresses, address)}
        for switch in self._context.switches.switches.values():
            if (
                switch.row.address != address
                and switch.row.read is not None
                and (switch.row.address in own or (reading.own and reading.own == switch.own))
            ):
                return switch
        return None

    def _ways(self, row: SwitchRow, by: int | None) -> dict[int, Credential]:
        """By what a switch is read: the credential that was picked, else the one that worked, else all of them in turn."""
        found = credential_edits.opened(self._context)
        if by is not None:
            return {by: found[by]} if by in found else {}
        wanted = row.credential if row.credential is not None else row.works
        return {wanted: found[wanted]} if wanted in found else {} if row.credential is not None else found

    async def ask(self, address: Address, ways: dict[int, Credential]) -> tuple[Reading, int] | Unread:
        """Read an agent by the first of some credentials that works."""
        if not ways:
            return Unread("there is no credential to read it by: 'roster credential add NAME'", refused=False)
        adapter, why_not = await asyncio.to_thread(self._watcher.towards, address)
        if adapter is None:
            return Unread(f"{dotted(address)} cannot be asked from here: {why_not}", refused=False)
        refused, why = False, ""
        for identity, credential in ways.items():
            segment = self._context.machine.open(adapter)
            try:
                how = agent_reading.session(credential)
                return await agent_reading.read(segment, IPv4Address(address), how), identity
            except (AgentError, SegmentError) as error:
                refused, why = refused or isinstance(error, Refused), str(error)
        return Unread(why, refused)

    async def fill(self) -> None:
        """Ask for the known devices of the own links, at most every FILL_SECONDS: whoever answers is in the forwarding tables."""
        if not self._context.settings.watch:
            return
        async with self._filling:
            if self._context.monotonic() - self._filled < FILL_SECONDS:
                return
            self._filled = self._context.monotonic()
            known = await asyncio.to_thread(self._known)
            await self._watcher.confirm(known)

    def _known(self) -> list[Address]:
        adapters = [one for one in self._context.machine.adapters() if one.up and one.mac is not None]
        networks = {network for one in adapters for network in one.networks}
        found: list[Address] = []
        with self._context.database.read() as connection:
            for network in sorted(networks):
                site, since = self._context.plan.site_here, now_ms() - DAY_MS
                found += scan_records.held_lately(connection, site, network, since)[:FILL_MOST]
        return found


def _as_much(switch: SwitchNow, reading: Reading) -> bool:
    """Whether a reading by another credential tells all that the usual one does: what one may not see is not gone."""
    known = {what for what, _ in switch.told.get("lacks", ())}
    there = sum(port.there for port in switch.ports.values())
    return {lack.what for lack in reading.lacks} <= known and len(reading.ports) >= there and not reading.cut
