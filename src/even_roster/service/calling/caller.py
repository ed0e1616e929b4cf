"""Looks for the lines of roll calls again and again: by ARP on the own links, so that a firewalled machine is here, by echo and
connects where there is no link. What answers is a sighting like any other.

How lines stand is kept in memory, and what lasts of it by `rolls_kept`: after a start everybody is looked at anew.
"""

from __future__ import annotations

import asyncio
import contextlib
import threading
import time
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from ipaddress import AddressValueError, IPv4Address

from sqlalchemy import Connection

from ...api.common import DeviceRef
from ...api.events import CallEvent
from ...core.adapters import Adapter
from ...core.address import Address, address_of, dotted
from ...core.findings.rolls import Absent
from ...core.mac import Mac, MacNumber
from ...core.roll_call import Line, Standing, overdue
from ...probe import prover
from ...store import device_queries, roll_call_records
from ...store.address_column import NO_ADDRESS
from ...store.edits import Missing
from ...store.roll_call_records import RollCall
from ..aids.repeating import attempt, attempt_here
from ..context import Context, now_ms
from ..naming import resolving
from ..views import device_ref
from ..watching.watcher import Watcher
from ..web.problems import Ambiguous, NotByThat
from . import presence
from .presence import Shares, Whom
from .rolls_kept import RollsKept

TURN_SECONDS = 0.5


@dataclass(frozen=True, slots=True)
class Target:
    """Whom a line means now: a device with its MACs, an address; `why_not` says why it cannot be looked for."""

    device: DeviceRef | None = None
    address: Address | None = None
    macs: frozenset[MacNumber] = frozenset()
    why_not: str = ""


Answers = dict[Address, tuple[MacNumber | None, ...]]
"""Who answered at each address; None where only the address is known."""
SHARED_SECONDS = 600.0
AFAR_MOST = 128


@dataclass(slots=True)
class Called:
    """One roll call while the service runs: how its lines stand, by what they name."""

    began: float = float("-inf")
    lines: tuple[Line, ...] = ()
    asked: int | None = None
    asking: bool = False
    turn: asyncio.Lock = field(default_factory=asyncio.Lock)
    targets: dict[str, Target] = field(default_factory=dict)
    standings: dict[str, Standing] = field(default_factory=dict)
    took: dict[Address, float] = field(default_factory=dict)
    absent: set[str] = field(default_factory=set)
    shares: dict[str, Shares] = field(default_factory=dict)
    shared: set[str] = field(default_factory=set)
    shared_at: float = float("-inf")


class Caller:
    """The roll calls of one service."""

    def __init__(self, context: Context, watcher: Watcher) -> None:
        self._context, self._watcher = context, watcher
        self.kept = RollsKept(context)
        self._called: dict[int, Called] = {}
        self._rolls: list[RollCall] = []
        self._read_at = -1
        self._reading = threading.Lock()
        self._tasks: set[asyncio.Task[None]] = set()
        self._turning: asyncio.Task[None] | None = None

    def begin(self) -> None:
        """Look from now on, where the service watches by itself at all."""
        if self._context.settings.watch:
            self._turning = asyncio.create_task(self._turn(), name="roll calls")

    async def close(self) -> None:
        """Stop."""
        for task in (*self._tasks, *([self._turning] if self._turning is not None else ())):
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task
        await attempt(self.kept.store, "how roll calls stand could not be stored")

    def called(self, identity: int) -> Called:
        """How a roll call stands; as one that was never looked at where it is no more."""
        return self._called.get(identity) or Called()

    async def _turn(self) -> None:
        while True:
            await attempt_here(self._due(), "roll calls could not be begun")
            await asyncio.sleep(TURN_SECONDS)

    async def _due(self) -> None:
        if self._read_at != self._context.rolls_edited:
            await asyncio.to_thread(self.rolls)
        for roll in self._rolls:
            called = self.called(roll.id)
            due = called.lines != roll.lines or self._context.monotonic() >= called.began + roll.every_seconds
            if roll.lines and due and not called.asking:
                task = asyncio.create_task(self._one(roll), name=f"roll call {roll.name}")
                self._tasks.add(task)
                task.add_done_callback(self._tasks.discard)
                await asyncio.sleep(0)

    async def _one(self, roll: RollCall) -> None:
        await attempt_here(self.look(roll), f"the roll call {roll.name} failed")

    def rolls(self) -> list[RollCall]:
        """Every roll call as it is kept; not on the event loop. They are read again after an edit."""
        with self._reading:
            edited = self._context.rolls_edited
            if self._read_at != edited:
                with self._context.database.read() as connection:
                    self._rolls = roll_call_records.all_of_them(connection)
                there = {roll.id for roll in self._rolls}
                for identity in there - self._called.keys():
                    self._called[identity] = Called(
                        standings=self.kept.stood(identity), absent=self.kept.told_absent(identity)
                    )
                for identity in self._called.keys() - there:
                    del self._called[identity]
                    self._context.findings.roll_called(identity, {}, ())
                    self.kept.gone(identity)
                self._read_at = edited
            return self._rolls

    async def look(self, roll: RollCall) -> None:
        """Look for all lines of a roll call once, side by side; who looks already is waited for."""
        called = self.called(roll.id)
        if called.turn.locked():
            async with called.turn:
                return
        async with called.turn:
            await self._look(roll, called)

    async def _look(self, roll: RollCall, called: Called) -> None:
        called.asking = True
        called.lines, called.began = roll.lines, self._context.monotonic()
        self._context.tell(CallEvent(id=roll.id))
        try:
            called.targets = await asyncio.to_thread(self._targets, roll.lines)
            wanted = {one.address for one in called.targets.values() if one.address is not None}
            answers, doubtful, called.took = await self._answers(wanted)
            now, turned, verdicts = now_ms(), False, dict[Address, bool]()
            for line in roll.lines:
                standing, target = called.standings.setdefault(line.subject, Standing()), called.targets[line.subject]
                here, said = _verdict(target, answers, doubtful)
                turned = standing.looked(now, here, said) or turned
                if target.address is not None and here is not None:
                    verdicts[target.address] = here
            called.standings = {line.subject: called.standings[line.subject] for line in roll.lines}
            called.asked = now
            await asyncio.to_thread(self._tell_absent, roll, called, now)
            await asyncio.to_thread(self.kept.looked, roll.id, now, called.standings, verdicts, called.took, turned)
            if called.shared != called.targets.keys() or self._context.monotonic() - called.shared_at > SHARED_SECONDS:
                called.shared_at, called.shared = self._context.monotonic(), set(called.targets)
                called.shares = await asyncio.to_thread(self._shares, called.targets, now)
        finally:
            called.asking = False
            self._context.tell(CallEvent(id=roll.id))

    def _tell_absent(self, roll: RollCall, called: Called, now: int) -> None:
        """Tell the findings who is absent for longer than there is patience for. Within quiet hours nobody new is."""
        if self._called.get(roll.id) is not called:
            return  # it was removed meanwhile
        local = time.localtime(now / 1000)
        quiet, today = roll.quiet(local.tm_hour * 60 + local.tm_min), time.strftime("%Y-%m-%d", local)
        called.absent = overdue(roll.lines, called.standings, roll.warn_minutes, now, today, quiet, called.absent)
        absent: dict[str, Absent] = {}
        for line in roll.lines:
            if line.subject in called.absent:
                target, since = called.targets[line.subject], called.standings[line.subject].since or now
                name = line.name or (target.device.name if target.device is not None else None) or ""
                where = dotted(target.address) if target.address is not None else None
                minutes = roll.warn_minutes if line.warn is None else line.warn
                absent[line.subject] = Absent(roll.name, line.subject, name, where, since, minutes)
        self._context.findings.roll_called(roll.id, absent, [line.subject for line in roll.lines])

    def _shares(self, targets: Mapping[str, Target], now: int) -> dict[str, Shares]:
        """How much of the last day, week and month the lines were there. Of what lies behind a gateway there are only scans, which
        say too little."""
        links = [adapter.onlink for adapter in self._context.machine.adapters()]
        near = {
            subject: Whom(one.address, one.macs)
            for subject, one in targets.items()
            if one.address is not None and any(one.address in link for link in links)
        }
        with self._context.database.read() as connection:
            return presence.shares(connection, self._context.plan.site_here, near, now)

    def _targets(self, lines: Iterable[Line]) -> dict[str, Target]:
        with self._context.database.read() as connection:
            return {line.subject: self._target(connection, line.subject) for line in lines}

    def _target(self, connection: Connection, subject: str) -> Target:
        with contextlib.suppress(AddressValueError):
            ip = IPv4Address(subject)
            if ip.is_multicast or ip.is_unspecified or ip.is_loopback or ip.is_reserved:
                return Target(why_not=f"{subject} is no address that a host on a network has")
            address = address_of(ip)
            item = self._context.plan.plan.at(self._context.plan.site_here, address)
            device = device_queries.one(connection, item.device) if item is not None and item.device else None
            return Target(device_ref(device) if device is not None else None, address)
        try:
            found = device_queries.one(connection, resolving.device_to_change(self._context, connection, subject))
        except (Missing, Ambiguous, NotByThat) as error:
            return Target(why_not=str(error))
        assert found is not None
        macs = frozenset(adapter.mac for adapter in device_queries.adapters_of(connection, found.id))
        here = self._context.plan.site_here
        planned = next(
            (item.address for item in self._context.plan.plan.of_device(found.id) if item.site == here), None
        )
        address_now = planned if planned is not None and not found.last_seen else found.address
        if address_now == NO_ADDRESS:
            return Target(device_ref(found), None, macs, "it has no address that anybody knows of")
        return Target(device_ref(found), address_now, macs)

    async def _answers(self, wanted: set[Address]) -> tuple[Answers, dict[Address, str], dict[Address, float]]:
        """Who answered at each address; of which addresses nobody can say, and why; and the reply times that are certain, in
        seconds."""
        doubtful: set[Address] = set()
        took: dict[Address, float] = {}
        links = [adapter.onlink for adapter in await asyncio.to_thread(self._context.machine.adapters)]
        near = {a for a in wanted if any(a in link for link in links)}
        found, (answers, why) = await asyncio.gather(
            self._watcher.confirm(near, doubtful, took), self._from_afar(sorted(wanted - near), took)
        )
        answers |= found
        why |= {a: "nobody at all answers on its link" for a in doubtful if not answers.get(a)}
        unasked = sorted(near - found.keys())  # without raw frames the system's own ARP has to do
        others, why_not = await self._from_afar(unasked, took)
        return answers | others, why | why_not, took

    async def _from_afar(
        self, addresses: Sequence[Address], took: dict[Address, float]
    ) -> tuple[Answers, dict[Address, str]]:
        answers: Answers = {}
        why: dict[Address, str] = {}
        towards: dict[str, tuple[Adapter, list[Address]]] = {}
        for address in addresses:
            adapter, why_not = self._watcher.towards(address)
            if adapter is None:
                why[address] = why_not
            else:
                towards.setdefault(adapter.name, (adapter, []))[1].append(address)
        turns = asyncio.Semaphore(prover.ASKED_AT_ONCE)

        async def ask(adapter: Adapter, part: Sequence[Address]) -> None:
            async with turns:
                words = await prover.ask(self._context.machine.open(adapter), part)
            answers.update((address, tuple(heard.mac for heard in word.heard)) for address, word in words.items())
            why.update((address, word.why_not) for address, word in words.items() if word.why_not)
            took.update((address, word.took) for address, word in words.items() if word.took is not None)

        await asyncio.gather(
            *(
                ask(adapter, part[start : start + AFAR_MOST])
                for adapter, part in towards.values()
                for start in range(0, len(part), AFAR_MOST)
            )
        )
        return answers, why


def _verdict(target: Target, answers: Answers, doubtful: Mapping[Address, str]) -> tuple[bool | None, str]:
    """Whether a line is here, and why."""
    if target.address is None:
        return None, target.why_not
    where = dotted(target.address)
    if (why := doubtful.get(target.address)) is not None:
        return None, why
    macs = answers.get(target.address, ())
    if not macs:
        return False, f"nobody answers at {where}"
    strangers = [mac for mac in macs if mac is not None and target.macs and mac not in target.macs]
    if len(strangers) == len(macs):
        return False, f"another device answers at {where}: {Mac(strangers[0])}"
    if len(macs) > 1:
        return (
            True,
            f"{len(macs)} devices answer at {where}: {', '.join(str(Mac(mac)) for mac in macs if mac is not None)}",
        )
    return True, f"answers at {where}"
