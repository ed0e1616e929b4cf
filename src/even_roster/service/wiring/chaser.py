"""Watches switches for ports that lose or get their link, and devices on the own links for falling silent, while somebody chases
cables. Each switch is asked for the links of its ports alone, again and again; what announces itself at the own adapters tells when
the own cable was moved.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from ipaddress import IPv4Address

from ...api.events import ChaseEvent
from ...core.address import Address, dotted
from ...core.wiring.chase_turns import said, turned
from ...probe.segment import SegmentError
from ...probe.snmp_agent import Agent, AgentError, Ending
from ...store import chase_records, switch_records
from ...store.chase_records import ChaseRow
from ...store.edits import EditError, Missing
from ..aids.repeating import attempt_here
from ..context import Context, now_ms
from ..switches import agent_reading, credential_edits
from ..switches.picture import Names
from ..switches.switch_reader import SwitchReader
from ..watching.watcher import Watcher
from ..web.problems import Refusal

_LINK = (1, 3, 6, 1, 2, 1, 2, 2, 1, 8)
"""ifOperStatus (RFC 2863)"""
EVERY_SECONDS = 0.7
AFTER_TROUBLE_SECONDS = 3.0
SESSION_SECONDS = 600.0
"""An agent is asked for so long before its session is begun anew: each has a budget of time."""
READ_AFTER_SECONDS = 3.0
MOST_TURNS, MOST_NAMED = 500, 8
SILENT_LOOKS = 2
LASTS_MS = 4 * 3_600_000


@dataclass(frozen=True, slots=True)
class Turn:
    """Something that turned: a port of a switch, or a device (then without a port)."""

    number: int
    at: int
    switch: int | None
    port: int | None
    up: bool
    names: tuple[str, ...]
    said: str


@dataclass(slots=True)
class Watched:
    """How the watching of one switch goes: its links as they were told last, by the interfaces' numbers."""

    asked: int | None = None
    trouble: str = ""
    links: dict[int, int] | None = None


@dataclass(slots=True)
class Running:
    """A chase that runs: what turned in it, how each switch is, which devices answer (none that was not heard yet)."""

    turns: deque[Turn] = field(default_factory=lambda: deque(maxlen=MOST_TURNS))
    switches: dict[int, Watched] = field(default_factory=dict)
    devices: dict[Address, bool] = field(default_factory=dict)
    tasks: list[asyncio.Task[None]] = field(default_factory=list)
    numbers: int = 0


class Chaser:
    """The chases of one service."""

    def __init__(
        self, context: Context, watcher: Watcher, reader: SwitchReader, beside: Callable[[], Mapping[str, str]]
    ) -> None:  # fmt: skip
        """`beside` tells what announces itself at each of this machine's adapters (LLDP), in words."""
        self._context, self._watcher, self._reader, self._beside = context, watcher, reader, beside
        self.running: dict[int, Running] = {}
        self._readings: dict[int, asyncio.Task[None]] = {}

    def begin(self) -> None:
        """Go on with those that are on."""
        with self._context.database.read() as connection:
            rows = chase_records.every(connection)
        for row in rows:
            if row.on and row.until > now_ms():
                self.start(row)

    async def close(self) -> None:
        """Stop watching; what is on is gone on with at the next start."""
        for task in [*(task for one in self.running.values() for task in one.tasks), *self._readings.values()]:
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task

    def start(self, row: ChaseRow) -> None:
        """Watch what a chase watches."""
        running = self.running.setdefault(row.id, Running())
        if running.tasks:
            return
        for switch in row.switches:
            running.switches[switch] = Watched()
            work = attempt_here(self._watch(row, running, switch), "a switch could not be watched")
            running.tasks.append(asyncio.create_task(work))
        running.tasks.append(
            asyncio.create_task(attempt_here(self._own(row, running), "own cables could not be watched"))
        )
        if row.devices:
            work = attempt_here(self._listen(row, running), "devices could not be watched")
            running.tasks.append(asyncio.create_task(work))

    def stop(self, identity: int) -> None:
        """Watch no longer; what turned is still told."""
        running = self.running.get(identity)
        for task in running.tasks if running is not None else ():
            task.cancel()
        if running is not None:
            running.tasks.clear()

    def _over(self, row: ChaseRow) -> bool:
        """Whether it has ended by itself."""
        return now_ms() >= row.until

    async def _watch(self, row: ChaseRow, running: Running, switch: int) -> None:
        watched = running.switches[switch]
        while not self._over(row):
            try:
                await self._session(row, running, switch)
            except (AgentError, SegmentError, EditError, Missing) as error:
                if watched.trouble != str(error):
                    watched.trouble = str(error)
                    self._context.tell(ChaseEvent(id=row.id))
                await asyncio.sleep(AFTER_TROUBLE_SECONDS)
        await asyncio.to_thread(self._end, row)

    def _end(self, row: ChaseRow) -> None:
        with self._context.database.write() as connection:
            chase_records.change(connection, row.id, {"on": False})
        self._context.tell(ChaseEvent(id=row.id))

    async def _session(self, row: ChaseRow, running: Running, switch: int) -> None:
        """Ask one agent again and again, for a while."""
        known = self._context.switches.switches.get(switch)
        if known is None:
            raise Missing("it is read no more")
        address = known.row.address
        adapter, why_not = await asyncio.to_thread(self._watcher.towards, address)
        if adapter is None:
            raise AgentError(f"{dotted(address)} cannot be asked from here: {why_not}")
        wanted = known.row.credential if known.row.credential is not None else known.row.works
        credential = (await asyncio.to_thread(credential_edits.opened, self._context)).get(wanted or -1)
        if credential is None:
            raise AgentError("it was not read yet, so that no credential is known to work: 'roster switch read'")
        loop = asyncio.get_running_loop()
        begun, watched = loop.time(), running.switches[switch]
        segment = self._context.machine.open(adapter)
        try:
            agent = Agent(segment, IPv4Address(address), agent_reading.session(credential), seconds=SESSION_SECONDS * 2)
            while loop.time() - begun < SESSION_SECONDS and not self._over(row):
                looked = loop.time()
                walked = await agent.walk(_LINK)
                if walked.ending is not Ending.WHOLE:
                    raise AgentError(walked.why or "it does not tell the links of its ports")
                now = {one.oid[-1]: one.value for one in walked.variables if isinstance(one.value, int)}
                watched.asked, watched.trouble = now_ms(), ""
                came, watched.links = turned(watched.links, now), {**(watched.links or {}), **now}
                for one in came:
                    await asyncio.to_thread(self._port_turned, row, running, switch, one.index, one.up)
                await asyncio.sleep(max(0.05, EVERY_SECONDS - (loop.time() - looked)))
        finally:
            await segment.close()

    def _port_turned(self, row: ChaseRow, running: Running, switch: int, index: int, up: bool) -> None:
        known = self._context.switches.switches.get(switch)
        if known is None:
            return
        port = next(
            (one for one in known.ports.values() if one.there and one.state is not None and one.state.index == index),
            None,
        )
        if port is None:
            return
        with self._context.database.read() as connection:
            names = Names(self._context, connection)
            lately = sorted(port.stays.values(), key=lambda stay: (not stay.here, -stay.last))
            macs = [stay.mac for stay in lately if stay.here] or [stay.mac for stay in lately[:1]]
            if not macs:  # a reading has ended their stay before this look
                rows = switch_records.stays_of_port(connection, port.id, MOST_NAMED)
                latest = max((row.last or row.first for row in rows), default=0)
                macs = [row.mac for row in rows if (row.last or row.first) == latest]
            names.learn(macs)
            leads = port.state is not None and port.state.uplink
            called = [] if leads else [names.said(mac) for mac in macs]
            sentence = said(names.switch(known)[1], port.name, called, up=up)
        self._tell(row, running, Turn(0, now_ms(), switch, port.id, up, tuple(called), sentence))
        if self._context.loop is not None:
            self._context.loop.call_soon_threadsafe(self._read_soon, switch)

    def _tell(self, row: ChaseRow, running: Running, turn: Turn) -> None:
        running.numbers += 1
        running.turns.appendleft(Turn(running.numbers, turn.at, turn.switch, turn.port, turn.up, turn.names, turn.said))
        self._context.tell(ChaseEvent(id=row.id))

    def _read_soon(self, switch: int) -> None:
        """A switch whose port turned is read a little later, once, so that who hangs where is known anew."""
        if switch not in self._readings:
            self._readings[switch] = asyncio.create_task(attempt_here(self._read(switch), "a switch could not be read"))

    async def _read(self, switch: int) -> None:
        await asyncio.sleep(READ_AFTER_SECONDS)
        self._readings.pop(switch, None)
        with contextlib.suppress(Refusal, EditError):
            await self._reader.read(switch)

    async def _own(self, row: ChaseRow, running: Running) -> None:
        """Say when something else announces itself at an adapter of this machine: its own cable was moved."""
        known = set(self._beside().items())
        while not self._over(row):
            await asyncio.sleep(EVERY_SECONDS)
            for adapter, where in set(self._beside().items()) - known:
                known.add((adapter, where))  # of several that are heard in turn each is told once
                sentence = f"{adapter} of this machine is plugged into {where}"
                self._tell(row, running, Turn(0, now_ms(), None, None, True, (adapter,), sentence))

    async def _listen(self, row: ChaseRow, running: Running) -> None:
        """Ask some devices of the own links by ARP, and say who falls silent and who answers again."""
        called: dict[Address, str] = {address: name for address, name in row.devices}
        silent: dict[Address, int] = {}
        there = running.devices
        loop = asyncio.get_running_loop()
        while not self._over(row):
            looked = loop.time()
            answered = await self._watcher.confirm(list(called))
            for address, name in called.items():
                silent[address] = 0 if answered.get(address) else silent.get(address, 0) + 1
                here = silent[address] < SILENT_LOOKS
                if there.get(address, here) != here:
                    word = "answers again" if here else "does not answer any more"
                    turn = Turn(0, now_ms(), None, None, here, (name,), f"{name} {word}")
                    self._tell(row, running, turn)
                if (answered.get(address) or address in there) and there.get(address) != here:
                    there[address] = here
                    self._context.tell(ChaseEvent(id=row.id))
            await asyncio.sleep(max(0.05, EVERY_SECONDS - (loop.time() - looked)))

    # Edits

    def keep(self, values: dict[str, object]) -> ChaseRow:
        """Keep a new chase."""
        with self._context.database.write() as connection:
            identity = chase_records.add(connection, values)
        return self.row(identity)

    def row(self, identity: int) -> ChaseRow:
        """One chase. Raises Missing."""
        with self._context.database.read() as connection:
            found = next((one for one in chase_records.every(connection) if one.id == identity), None)
        if found is None:
            raise Missing(f"there is no chase {identity}")
        return found

    def rows(self) -> Sequence[ChaseRow]:
        """All chases, the latest first."""
        with self._context.database.read() as connection:
            return chase_records.every(connection)
